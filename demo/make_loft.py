#!/usr/bin/python3
"""Makes a recording that a model gets wrong, with its parts kept apart: to be put right by hand and by teaching.

A sailmaker talks in her loft beside a ventilator (a steady tone with its partials, which sounds like music), a plank falls
under a word, and somebody talks behind her. The words are ours; the voices are synthesised (flite slt, espeak-ng). Needs, from
Debian: flite espeak-ng ffmpeg python3-numpy.

Leaves loft.flac (the sum) and loft/{dialogue,ambience}.flac: the voice behind, the plank, the ventilator and the room's air all
belong to the ambience; reverb and music are silent. With the folder that `rivlen-cli split` wrote its stems to: how near they are to these.
"""
import subprocess
import sys
import tempfile
from pathlib import Path

import numpy as np

RATE, SECONDS = 48000, 24
N = RATE * SECONDS
HERE = Path(__file__).resolve().parent
rng = np.random.default_rng(118)

LINES = [
    (1.0, "A sail is never cut flat. You draw the curve first, and you trust it."),
    (7.6, "Listen to the cloth when you fold it. New cloth talks back."),
    (12.4, "Three rows of stitches here, where the rope pulls hardest."),
    (17.8, "And when it comes home torn, we begin again."),
]
BEHIND = [(5.6, "Where did you put the long needle?"), (16.0, "It is under the table."), (21.6, "Found it.")]
PLANK = 13.35  # seconds, under a word
FAN_HZ = 118.0


def speak(command, text):
    with tempfile.TemporaryDirectory() as name:
        wav = Path(name) / "say.wav"
        subprocess.run([*command(wav), text], check=True, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        raw = subprocess.run(["ffmpeg", "-v", "error", "-i", str(wav), "-f", "f32le", "-ac", "1", "-ar", str(RATE), "-"],
                             check=True, stdout=subprocess.PIPE).stdout
    return np.frombuffer(raw, np.float32).astype(np.float64)


def put(out, start, x):
    at = int(start * RATE)
    x = x[:N - at]
    out[at:at + len(x)] += x


def band(x, low, high):
    spectrum = np.fft.rfft(x)
    f = np.fft.rfftfreq(len(x), 1 / RATE)
    shape = 1 / (1 + (low / np.maximum(f, 1e-9)) ** 4) / (1 + (f / high) ** 4)
    return np.fft.irfft(spectrum * np.sqrt(shape), len(x))


def to_level(x, dbfs):
    loud = np.abs(x) > 0.05 * np.abs(x).max()
    return x / np.sqrt(np.mean(x[loud] ** 2)) * 10 ** (dbfs / 20)


def dialogue():
    out = np.zeros(N)
    for start, text in LINES:
        put(out, start, speak(lambda wav: ["flite", "-voice", "slt", "-o", str(wav), "-t"], text))
    return to_level(out, -22)


def ambience():
    out = np.zeros(N)
    for start, text in BEHIND:
        put(out, start, speak(lambda wav: ["espeak-ng", "-v", "en-gb", "-s", "150", "-w", str(wav)], text))
    far = band(out, 250, 3500)
    behind = to_level(sum(g * np.roll(far, int(ms * RATE / 1000)) for ms, g in [(0, 1), (13, 0.5), (29, 0.4), (47, 0.3)]), -33)
    t = np.arange(N) / RATE
    fan = sum(10 ** (-9 * k / 20) * np.sin(2 * np.pi * FAN_HZ * (k + 1) * t + k) for k in range(6))
    fan = to_level(fan, -34)
    air = band(rng.standard_normal(N), 80, 4000)
    air = air / np.sqrt(np.mean(air ** 2)) * 10 ** (-48 / 20)
    plank = np.zeros(N)
    tt = np.arange(int(0.25 * RATE)) / RATE
    knock = np.exp(-tt / 0.035) * (np.sin(2 * np.pi * 210 * tt) + 0.6 * np.sin(2 * np.pi * 347 * tt))
    knock += 0.7 * np.exp(-tt / 0.008) * rng.standard_normal(len(tt))
    put(plank, PLANK, 0.35 * knock)
    return behind + fan + air + plank


def write(path, x):
    pcm = np.clip(np.round(x * 32767), -32768, 32767).astype("<i2")
    subprocess.run(["ffmpeg", "-v", "error", "-y", "-f", "s16le", "-ar", str(RATE), "-ac", "1", "-i", "-", "-compression_level", "12",
                    str(path)], input=pcm.tobytes(), check=True)
    return pcm.astype(np.float64) / 32767


def main():
    (HERE / "loft").mkdir(exist_ok=True)
    mix = write(HERE / "loft/dialogue.flac", dialogue()) + write(HERE / "loft/ambience.flac", ambience())
    print("peak of the mix", np.abs(mix).max())
    write(HERE / "loft.flac", mix)


def read(path):
    raw = subprocess.run(["ffmpeg", "-v", "error", "-i", str(path), "-f", "f32le", "-ac", "1", "-ar", str(RATE), "-"],
                         check=True, stdout=subprocess.PIPE).stdout
    return np.frombuffer(raw, np.float32).astype(np.float64)


def measure(folder):
    """SI-SDR (Le Roux et al. 2019) of the stems that were written to a folder, against the parts they were made from."""
    for stem in ("dialogue", "ambience"):
        truth = read(HERE / f"loft/{stem}.flac")
        made = read(Path(folder) / f"loft {stem}.wav")[:len(truth)]
        target = made @ truth / (truth @ truth) * truth
        print(f"{stem} {10 * np.log10((target @ target) / np.sum((made - target) ** 2)):.1f} dB")


if __name__ == "__main__":
    measure(sys.argv[1]) if len(sys.argv) > 1 else main()
