"""Scenes cut from takes, for the detector: real room-like noise, reverberant synthetic voices, every length by chance.

A scene is one speaker's lines, cut in turn from two takes in their pauses. Uncut pauses of the takes are what cut ones
are compared with.
"""

import json
import pathlib
import subprocess

import numpy as np
from scipy import signal
from scipy.io import wavfile

RATE = 48000
LINES = [
    "The fire has to be fed every ten minutes until the morning.",
    "I will look after the left side, and you can rest a while.",
    "Nobody told me that the door was open all this time.",
    "We could try the other glaze, the one with more iron in it.",
    "It sounded as if somebody were walking on the roof.",
    "My father used to say that clay remembers everything.",
    "There is still some tea in the pot if you want it.",
    "Look at the colour, it is nearly where it should be.",
    "She wrote that she would come on the last train tonight.",
    "Put the lid on slowly, or the whole shelf will shake.",
]
# Voices of Debian's flite and espeak-ng; those of training and of testing are apart.
VOICES = {
    "train": ["flite:kal", "flite:rms", "espeak:en-us+m3", "espeak:en-gb+f2", "espeak:en-us+m1", "espeak:en-gb+f4"],
    "test": ["flite:slt", "flite:awb", "espeak:en-gb+m7", "espeak:en-us+f3", "espeak:en-gb-scotland+m4"],
}


def spoken(voice, folder):
    """The lines as a voice says them, at RATE, peaking at 1."""
    engine, name = voice.split(":")
    out = []
    for i, line in enumerate(LINES):
        path = pathlib.Path(folder) / f"{engine}-{name}-{i}.wav"
        if not path.exists():
            command = {
                "flite": ["flite", "-voice", name, "-t", line, "-o", str(path)],
                "espeak": ["espeak-ng", "-v", name, "-w", str(path), line],
            }[engine]
            subprocess.run(command, check=True, capture_output=True)
        rate, x = wavfile.read(path)
        x = signal.resample_poly(x.astype(float), RATE, rate)
        out.append(np.trim_zeros(x) / np.abs(x).max())
    return out


def colour(rng):
    """A room's spectrum: amplitudes over frequency, falling, with humps by chance; of level 1."""
    hz = np.fft.rfftfreq(2 * RATE, 1 / RATE)
    octave = np.log2(np.maximum(hz, 20) / 1000)
    db = -rng.uniform(2, 6) * octave
    for _ in range(6):
        db += rng.uniform(-4, 4) * np.exp(-(((octave - rng.uniform(-5, 4)) / rng.uniform(0.4, 1.5)) ** 2))
    a = 10 ** (db / 20)
    a[hz < 30] = 0
    return a / np.sqrt(np.mean(a**2))


def noise(rng, amplitudes, length):
    """Stationary normal noise of a spectrum."""
    n = len(amplitudes) * 2 - 2
    out = np.zeros(length + n)
    window = signal.windows.hann(n, sym=False) ** 0.5
    for at in range(0, length, n // 2):
        x = np.fft.irfft(np.fft.rfft(rng.standard_normal(n)) * amplitudes)
        out[at : at + n] += x[: len(out) - at] * window[: len(out) - at]
    return out[n // 4 : n // 4 + length]


def decay(rng):
    """A room's response: the direct sound, then noise that decays."""
    rt, n = rng.uniform(0.15, 0.5), RATE // 2
    tail = rng.standard_normal(n) * 10 ** (-3 * np.arange(n) / RATE / rt)
    tail[: int(0.004 * RATE)] = 0
    tail *= 10 ** (-rng.uniform(3, 12) / 20) / np.sqrt(np.sum(tail**2))
    tail[0] = 1
    return tail


def take(rng, lines, room, response):
    """Some lines with pauses between them in a room; gives the sound and where each line begins and ends."""
    parts, spans, at = [], [], int(rng.uniform(1.2, 1.8) * RATE)
    for line in lines:
        spans.append((at, at + len(line)))
        parts.append((at, line * 10 ** (-rng.uniform(9, 13) / 20)))
        at += len(line) + int(rng.uniform(1.4, 2.2) * RATE)
    x = np.zeros(at + RATE)
    for begin, line in parts:
        x[begin : begin + len(line)] += line
    x = signal.fftconvolve(x, response)[: len(x)]
    return x + room(len(x)), spans


def rooms(rng, kind):
    """How the rooms of both takes sound: two functions of a length."""
    base = colour(rng)
    hz = np.fft.rfftfreq(2 * RATE, 1 / RATE)
    low = 10 ** (rng.uniform(-64, -54) / 20)
    apart = {"one": 0, "wide": rng.uniform(0, 12)}.get(kind, rng.uniform(0, 8))
    tilt = 0 if kind == "one" else rng.uniform(-4, 4)
    other = base * 10 ** (tilt * np.clip(np.log2(np.maximum(hz, 20) / 1000) / 3.3, -1, 1) / 20)
    other *= 10 ** (apart / 20) / np.sqrt(np.mean(other**2))
    levels = [(base, low), (other, low)]
    if rng.random() < 0.5:
        levels.reverse()

    drops = colour(rng)

    def sound(amplitudes, gain, hum, rain):
        def room(length, begun=False):
            x = noise(rng, amplitudes, length) * gain
            t = np.arange(length) / RATE
            for k in range(1, 9) if hum else []:
                x += low * 10 ** (rng.uniform(-6, 4) / 20) * np.sin(2 * np.pi * (50.02 * k * t + rng.random()))
            if rain:
                begins = -9 if begun else rng.uniform(0.3, 0.7) * length / RATE
                x += noise(rng, drops, length) * low * 1.5 * np.clip((t - begins) / 3, 0, 1)
            return x

        return room

    # What there is of either room, band by band, and never a cut: what evened takes are compared with must have the hum
    # or the rain, and as much noise beside it, or it is that which is told.
    both = np.sqrt(np.maximum(levels[0][0] ** 2, levels[1][0] ** 2))
    hum, rain = kind == "hum", kind == "rain"
    return [sound(*levels[0], hum, False), sound(*levels[1], False, rain), sound(both, low, hum, rain)]


def scene(folder, voice, seed, kind, bank):
    """Makes a scene's recordings and file; gives where it is cut, the uncut pauses that evened takes are compared with,
    and those of the takes themselves, as (wav, sample)."""
    rng = np.random.default_rng(seed)
    folder = pathlib.Path(folder)
    folder.mkdir(parents=True, exist_ok=True)
    lines = [bank[i] for i in rng.permutation(len(bank))]
    pair, (*two, all_along) = [], rooms(rng, kind)
    for i, room in enumerate(two):
        x, spans = take(rng, lines[5 * i : 5 * i + 5], room, decay(rng))
        wavfile.write(folder / f"take{i}.wav", RATE, (x * 2**31).clip(-(2**31), 2**31 - 1).astype(np.int32))
        pair.append((spans, len(x)))
    # As much of a pause lies before a cut as before the middle of an uncut one, so that only the sound tells them apart.
    shares = rng.uniform(0.4, 0.6, 6)
    clips, cuts, at = [], [], 0
    for k in range(5):
        spans, whole = pair[k % 2]
        before = spans[k - 1][1] if k else 0
        after = spans[k + 1][0] if k + 1 < len(spans) else whole
        begin = spans[k][0] - int((spans[k][0] - before) * (1 - shares[k]))
        end = spans[k][1] + int((after - spans[k][1]) * shares[k + 1])
        clips.append((k % 2, begin, end - begin))
        at += end - begin
        cuts.append(at)
    write(folder / "scene.otio", clips, pair)
    own = pauses(rng, folder, pair)
    uncut = own
    if kind in ("hum", "rain"):
        x, spans = take(rng, lines[:5], lambda length: all_along(length, True), decay(rng))
        wavfile.write(folder / "take2.wav", RATE, (x * 2**31).clip(-(2**31), 2**31 - 1).astype(np.int32))
        uncut = pauses(rng, folder, [([], 0), ([], 0), (spans, len(x))])
    return cuts[:-1], uncut, own


def pauses(rng, folder, takes):
    """The pauses of whole takes, each by its recording and about its middle."""
    out = []
    for i, (spans, _) in enumerate(takes):
        for n in range(len(spans) - 1):
            middle = spans[n][1] + int((spans[n + 1][0] - spans[n][1]) * rng.uniform(0.4, 0.6))
            out.append((str(folder / f"take{i}.wav"), middle))
    return out


def whole(folder, evened):
    """Writes for each take of an evened scene one of it alone, uncut, brought to the same room; gives their names."""
    folder = pathlib.Path(folder)
    timeline = json.loads(pathlib.Path(evened).read_text())
    found = {}
    for track in timeline["tracks"]["children"]:
        for clip in track["children"]:
            if clip["OTIO_SCHEMA"].startswith("Clip"):
                ref = clip.get("media_reference") or clip["media_references"]["DEFAULT_MEDIA"]
                found.setdefault(ref["target_url"], (ref, clip["metadata"].get("blendseam", {}).get("room")))
    for name, (ref, room) in found.items():
        clip = {
            "OTIO_SCHEMA": "Clip.1",
            "name": name,
            "source_range": ref["available_range"],
            "media_reference": ref,
            "metadata": {"blendseam": {"room": room} if room else {}},
        }
        one = json.loads(json.dumps(timeline))
        one["tracks"]["children"] = [dict(timeline["tracks"]["children"][0], children=[clip])]
        one["tracks"]["children"][0]["metadata"] = {"blendseam": {"purpose": "dialogue"}}
        (folder / f"whole-{name}.otio").write_text(json.dumps(one))
    return list(found)


def write(path, clips, pair):
    def span(at, length):
        t = lambda v: {"OTIO_SCHEMA": "RationalTime.1", "value": v, "rate": RATE}
        return {"OTIO_SCHEMA": "TimeRange.1", "start_time": t(at), "duration": t(length)}

    children = [
        {
            "OTIO_SCHEMA": "Clip.1",
            "name": f"take {take}",
            "source_range": span(at, length),
            "media_reference": {
                "OTIO_SCHEMA": "ExternalReference.1",
                "target_url": f"take{take}.wav",
                "available_range": span(0, pair[take][1]),
            },
        }
        for take, at, length in clips
    ]
    track = {"OTIO_SCHEMA": "Track.1", "name": "Dialogue", "kind": "Audio", "children": children}
    track["metadata"] = {"blendseam": {"purpose": "dialogue"}}
    stack = {"OTIO_SCHEMA": "Stack.1", "children": [track]}
    path.write_text(json.dumps({"OTIO_SCHEMA": "Timeline.1", "name": "cut", "tracks": stack}))
