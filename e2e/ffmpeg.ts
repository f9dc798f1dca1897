// What ffmpeg says of files: it is not ours, and can disagree.
import { execFileSync } from "node:child_process";

/** The samples of a file, its channels in turn, after what else is asked of ffmpeg. */
export function samples(file: string, ...more: string[]): Float32Array {
  const raw = execFileSync("ffmpeg", ["-v", "error", "-i", file, ...more, "-f", "f32le", "-"], { maxBuffer: 1 << 29 });
  return new Float32Array(raw.buffer, raw.byteOffset, raw.length / 4);
}

/** What libebur128 says of a file. */
export function ebur128(file: string): { lufs: number; dbtp: number } {
  const ask = `ffmpeg -nostats -i '${file}' -af ebur128=peak=true -f null - 2>&1`,
    all = execFileSync("sh", ["-c", ask]).toString(),
    said = all.slice(all.lastIndexOf("Summary:"));
  return {
    lufs: Number(/I:\s+(\S+) LUFS/.exec(said)![1]),
    dbtp: Number(/Peak:\s+(\S+) dBFS/.exec(said)![1]),
  };
}
