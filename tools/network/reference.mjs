// Hears a sound as the reference runtime does: reads 16 kHz samples (32-bit floats, lowest byte first) from standard
// input and writes one probability for each 512 of them, in the same form.

import { readFileSync, writeSync } from "node:fs";
import { fileURLToPath } from "node:url";
import * as ort from "onnxruntime-web";

const CONTEXT = 64;
const WINDOW = 512;

ort.env.wasm.numThreads = 1;
const model = process.argv[2] ?? fileURLToPath(import.meta.resolve("@ricky0123/vad-web/dist/silero_vad_v6.onnx"));
const session = await ort.InferenceSession.create(readFileSync(model));

const bytes = readFileSync(0);
const sound = new Float32Array(bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.length));
const rate = new ort.Tensor("int64", [16000n]);
let state = new ort.Tensor("float32", new Float32Array(2 * 128), [2, 1, 128]);
const probabilities = new Float32Array(Math.floor(sound.length / WINDOW));
for (let i = 0; i < probabilities.length; i++) {
  const input = new Float32Array(CONTEXT + WINDOW);
  input.set(sound.subarray(Math.max(0, i * WINDOW - CONTEXT), (i + 1) * WINDOW), i === 0 ? CONTEXT : 0);
  const heard = await session.run({ input: new ort.Tensor("float32", input, [1, input.length]), state, sr: rate });
  state = heard.stateN;
  probabilities[i] = heard.output.data[0];
}
writeSync(1, new Uint8Array(probabilities.buffer));
