"""Tells cut pauses from uncut ones, as well as it can: how surely is what AUC says, 0.5 being a guess.

    python3 tools/detector/detector.py [--seed N] [--scenes N] [--kind rooms|wide|hum|rain|all]

Trained on scenes of its own and tested on others: other rooms, reverberations, seeds and speakers. For scenes as they
are cut, mended, and evened; with a control, uncut pauses against uncut ones, and an oracle, one room for both takes.
"""

import argparse
import json
import multiprocessing
import os
import pathlib
import subprocess
import tempfile

import numpy as np
from scipy import signal
from scipy.io import wavfile
from sklearn.decomposition import PCA
from sklearn.ensemble import HistGradientBoostingClassifier
from sklearn.metrics import roc_auc_score
from sklearn.neural_network import MLPClassifier
from sklearn.pipeline import make_pipeline
from sklearn.preprocessing import StandardScaler

import corpus

SIDE = int(1.2 * corpus.RATE)
PROGRAM = pathlib.Path(os.environ.get("PROGRAM") or pathlib.Path(__file__).resolve().parents[2] / "bin" / "blendseam")
ROOM = []  # further arguments of blendseam room


def read(path):
    rate, x = wavfile.read(path)
    x = x.astype(float) / (2**31 if x.dtype == np.int32 else 1)
    return x if x.ndim == 1 else x.mean(1)


def frames(x):
    """Power spectra of 21 ms, 10 ms apart."""
    _, _, s = signal.stft(x, corpus.RATE, nperseg=1024, noverlap=1024 - 480, boundary=None, padded=False)
    return np.abs(s.T) ** 2 + 1e-14


HZ = np.fft.rfftfreq(1024, 1 / corpus.RATE)
THIRDS = [(HZ >= m * 2 ** (-1 / 6)) & (HZ < m * 2 ** (1 / 6)) for m in 100 * 2 ** (np.arange(21) / 3)]
MEL = np.array(
    [
        np.clip(np.minimum((HZ - a) / (b - a), (c - HZ) / (c - b)), 0, None)
        for a, b, c in (lambda e: zip(e, e[1:], e[2:]))(700 * (np.exp(np.linspace(0.1, 2.9, 34)) - 1))
    ]
)


def features(window):
    """Of both sides: band levels of the quietest frames, how they vary, and how they differ."""
    sides = [frames(window[:SIDE])[::-1], frames(window[SIDE:])]  # from the middle outwards
    out, levels = [], []
    for s in sides:
        bands = np.array([10 * np.log10(s[:, t].sum(1) + 1e-14) for t in THIRDS if t.any()]).T
        quiet = bands[np.argsort(bands.mean(1))[: max(8, len(bands) // 4)]]
        near = bands[:20]
        levels.append((np.median(quiet, 0), np.median(near, 0), quiet.std(0), near.std(0)))
    for a, b in zip(*levels):
        d = a - b
        out += [d, [np.abs(d).mean(), np.abs(d).max(), d.mean(), abs(d.mean()), d.std()]]
    across = 10 * np.log10(frames(window[SIDE - 4096 : SIDE + 4096]).sum(1))
    out.append(across - np.median(across))
    return np.concatenate([np.ravel(x) for x in out])


def patch(window):
    """A log-mel patch, from which what is common to both sides is taken."""
    m = 10 * np.log10(frames(window) @ MEL.T + 1e-14)
    m = m[: len(m) // 10 * 10].reshape(-1, 10, m.shape[1]).min(1)
    half = len(m) // 2
    d = np.median(m[half : half + 6], 0) - np.median(m[half - 6 : half], 0)
    return np.concatenate([np.abs(d), d, (m - np.median(m, 0)).ravel()])


def about(sounds, places):
    return [sounds[p][c - SIDE : c + SIDE] for p, c in places if SIDE <= c <= len(sounds[p]) - SIDE]


def made(job):
    """One scene: windows about its cuts as they are, mended and evened, about uncut pauses, and about those of the takes
    brought to the same room without being cut; and its figures."""
    folder, voice, seed, kind, voices = job
    cuts, uncut, own = corpus.scene(folder, voice, seed, kind, corpus.spoken(voice, voices))
    f = pathlib.Path(folder)
    run = lambda *a: subprocess.run([str(PROGRAM), *map(str, a)], check=True, capture_output=True, text=True).stdout
    run("mend", f / "scene.otio", "-o", f / "mended.otio")
    told = json.loads(run("room", f / "mended.otio", "-o", f / "evened.otio", "--json", *ROOM))
    out = {}
    for name in ["scene", "mended", "evened"]:
        run("render", f / f"{name}.otio", "-o", f / f"{name}.wav", "--depth", "32f")
        x = read(f / f"{name}.wav")
        out[name] = [x[c - SIDE : c + SIDE] for c in cuts if SIDE <= c <= len(x) - SIDE]
    sounds = {p: read(p) for p, _ in uncut}
    out["uncut"] = about(sounds, uncut)
    alike = {}
    for name in corpus.whole(f, f / "evened.otio"):
        run("render", f / f"whole-{name}.otio", "-o", f / "whole.wav", "--depth", "32f")
        alike[str(f / name)] = read(f / "whole.wav")
    out["whole"] = about(alike, own)
    for p in f.iterdir():
        p.unlink()
    return {k: [(features(w), patch(w)) for w in v] for k, v in out.items()}, told


def corpora(pool, where, part, seed, count, kind):
    voices = corpus.VOICES[part]
    jobs = [
        (f"{where}/{part}-{kind}-{seed}-{i}", voices[i % len(voices)], [seed, i, part == "test"], kind, f"{where}/voices")
        for i in range(count)
    ]
    all_, told = {}, []
    for one, t in pool.imap_unordered(made, jobs):
        told.append(t)
        for k, v in one.items():
            all_.setdefault(k, []).extend(v)
    return all_, told


def detectors():
    return {
        "trees": (0, lambda: HistGradientBoostingClassifier(max_iter=200, learning_rate=0.06, max_leaf_nodes=12)),
        "patches": (
            1,
            lambda: make_pipeline(
                StandardScaler(), PCA(40), MLPClassifier((32,), alpha=1, max_iter=1500, random_state=1)
            ),
        ),
    }


def auc(train, test, name, against="uncut"):
    """The area under the ROC curve of each detector for one kind of scenes against uncut pauses."""
    out = {}
    for detector, (which, build) in detectors().items():
        x = [f[which] for f in train[name]] + [f[which] for f in train[against]]
        y = [1] * len(train[name]) + [0] * len(train[against])
        z = [f[which] for f in test[name]] + [f[which] for f in test[against]]
        t = [1] * len(test[name]) + [0] * len(test[against])
        out[detector] = roc_auc_score(t, build().fit(np.array(x), y).predict_proba(np.array(z))[:, 1])
    return out


def halves(some):
    rng = np.random.default_rng(7)
    mine = rng.permutation(len(some["uncut"]))
    half = len(mine) // 2
    return {"cut": [some["uncut"][i] for i in mine[:half]], "uncut": [some["uncut"][i] for i in mine[half:]]}


def main():
    p = argparse.ArgumentParser()
    p.add_argument("--seed", type=int, default=1)
    p.add_argument("--scenes", type=int, default=40, help="of testing; half as many again are trained on")
    p.add_argument("--kind", default="rooms", choices=["rooms", "wide", "hum", "rain", "one", "all"])
    p.add_argument("room", nargs="*", help="further arguments of blendseam room, after --")
    a = p.parse_args()
    ROOM.extend(a.room)
    worst = 0
    with tempfile.TemporaryDirectory() as where:
        os.environ["XDG_CACHE_HOME"] = where + "/cache"
        pathlib.Path(where, "voices").mkdir()
        for v in corpus.VOICES["train"] + corpus.VOICES["test"]:
            corpus.spoken(v, where + "/voices")
        with multiprocessing.Pool(os.cpu_count()) as pool:
            for kind in ["rooms", "wide", "hum", "rain", "one"] if a.kind == "all" else [a.kind]:
                train, _ = corpora(pool, where, "train", a.seed, a.scenes * 3 // 2, kind)
                test, told = corpora(pool, where, "test", a.seed, a.scenes, kind)
                control = auc(halves(train), halves(test), "cut")
                print(f"{kind}, seed {a.seed}: {len(test['scene'])} seams, {len(test['uncut'])} uncut pauses", flush=True)
                for name, say in [("scene", "as cut"), ("mended", "mended"), ("evened", "evened")]:
                    found = auc(train, test, name)
                    worst = max(worst, *found.values()) if name == "evened" else worst
                    print(f"  {say:8}", "  ".join(f"{d} {v:.3f}" for d, v in found.items()), flush=True)
                alike = auc(train, test, "evened", "whole")
                print("  evened, against takes brought to the same room uncut ", end="")
                print("  ".join(f"{d} {v:.3f}" for d, v in alike.items()))
                print("  control ", "  ".join(f"{d} {v:.3f}" for d, v in control.items()))
                rise = np.array([t["rise_over_loudest_db"] for t in told])
                print(f"  over the loudest take: median {np.median(rise):.1f} dB, most {rise.max():.1f} dB", flush=True)
    print(f"the worst of evened: {worst:.3f}")


if __name__ == "__main__":
    main()
