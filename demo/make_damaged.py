#!/usr/bin/python3
"""Makes the damaged take of the demo from its voice: what the repairs can be tried on.

The same lines as in the scene, taken on a worn machine in the mill's open door: recorded too hot for a preamplifier
(clipped), with a generator's hum that wanders, hiss, clicks of a bad cable, breath on the microphone at b and p, and a
gust of wind. Then everything is 24 dB too soft. Needs, from Debian: ffmpeg python3-numpy.

Leaves spare-take.flac in the folder of this script; parts/dialogue.flac is its clean voice.
"""
import subprocess
from pathlib import Path

import numpy as np

RATE = 48000
HERE = Path(__file__).resolve().parent
rng = np.random.default_rng(613)


def band(x, low, high):
    spectrum = np.fft.rfft(x)
    f = np.maximum(np.fft.rfftfreq(len(x), 1 / RATE), 1e-3)
    return np.fft.irfft(spectrum / np.sqrt((1 + (low / f) ** 4) * (1 + (f / high) ** 4)), len(x))


raw = subprocess.run(["ffmpeg", "-v", "error", "-i", str(HERE / "parts/dialogue.flac"), "-ac", "1", "-f", "f32le", "-"],
                     check=True, stdout=subprocess.PIPE).stdout
voice = np.frombuffer(raw, np.float32).astype(np.float64)
n = len(voice)
t = np.arange(n) / RATE
level = np.sqrt(np.mean(voice[np.abs(voice) > 0.01] ** 2))
sound = voice.copy()

# Breath at some beginnings of words.
frames = np.sqrt(np.mean(voice[:n // 2400 * 2400].reshape(-1, 2400) ** 2, axis=1))
onsets = [i for i in range(1, len(frames)) if frames[i] > 0.3 * level and frames[i] > 5 * frames[i - 1]]
for i in onsets[1::2]:
    at = i * 2400
    k = np.arange(min(RATE // 4, n - at)) / RATE
    sound[at:at + len(k)] += 4.5 * level * (1 - np.exp(-k / 0.006)) * np.exp(-k / 0.06) * np.sin(2 * np.pi * 27 * k + 0.5)

# A door that is open in the second half.
gusts = np.interp(t, np.arange(0, t[-1] + 2, 0.7), rng.uniform(0.2, 1.0, int(t[-1] / 0.7) + 4)[:len(np.arange(0, t[-1] + 2, 0.7))])
wind = rng.standard_normal(n)
spectrum = np.fft.rfft(wind)
f = np.maximum(np.fft.rfftfreq(n, 1 / RATE), 1.0)
wind = np.fft.irfft(spectrum * np.where(f > 15, (15 / f) ** 2.2, 0), n)
door = np.clip((t - 30) / 1.0, 0, 1) * np.clip((38 - t) / 1.0, 0, 1)
wind *= door * gusts
sound += wind / np.sqrt(np.mean(wind[wind != 0] ** 2)) * level * 2.2

# A generator beside it, and the machine's own noise.
turns = np.cumsum(50.2 + 0.15 * np.sin(2 * np.pi * t / 31)) / RATE
for k, gain in enumerate([1.0, 0.5, 0.7, 0.25, 0.4, 0.12, 0.2], start=1):
    sound += level * 0.05 * gain * np.sin(2 * np.pi * k * turns + k)
sound += band(rng.standard_normal(n), 150, 18000) * level * 10 ** (-34 / 20)

# Too hot: cut off at 7 dB under the voice's peak. Then clicks of the cable behind it.
edge = np.abs(voice).max() * 10 ** (-7 / 20)
sound = np.clip(sound, -edge, edge)
at = 0.0
while (at := at + rng.exponential(1.4)) < t[-1] - 0.1:
    size = int(rng.uniform(0.0001, 0.0012) * RATE) + 1
    k = np.arange(size)
    first = int(at * RATE)
    sound[first:first + size] += rng.choice([-1, 1]) * rng.uniform(0.5, 1.2) * edge * np.exp(-3 * k / size) * np.cos(
        2 * np.pi * rng.uniform(2000, 8000) * k / RATE)

sound *= 10 ** (-24 / 20)
subprocess.run(["ffmpeg", "-v", "error", "-y", "-f", "f32le", "-ar", str(RATE), "-ac", "1", "-i", "-", "-sample_fmt", "s16",
                "-compression_level", "8", "-metadata", "title=The keeper, spare take, damaged",
                "-fflags", "+bitexact", "-flags", "+bitexact", str(HERE / "spare-take.flac")],
               check=True, input=sound.astype(np.float32).tobytes())
