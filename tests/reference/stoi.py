#!/usr/bin/env python3
"""Fixed values for tests/separation_measures_test.cpp: STOI and ESTOI written once more, from the papers, with NumPy.

C. H. Taal et al., IEEE TASLP 19(7), 2011; J. Jensen, C. H. Taal, IEEE/ACM TASLP 24(11), 2016. At 10 kHz, so that no
resampler comes in between. Debian: python3-numpy. Run it to print the values.
"""
import numpy as np

RATE, WINDOW, HOP, FFT, BANDS, SEGMENT = 10000, 256, 128, 512, 15, 30


def noise(count, state):
    """Numerical Recipes' generator, 24 bits, -0.5 to 0.5: the same in C++."""
    out = np.empty(count)
    for i in range(count):
        state = (state * 1664525 + 1013904223) % 2**32
        out[i] = (state >> 8) / 2**24 - 0.5
    return out


def voice(count):
    t = np.arange(count) / RATE
    return noise(count, 1) * (np.sin(2 * np.pi * 2 * t) ** 2 + 0.02)


def window():
    return np.hanning(WINDOW + 2)[1:-1]


def without_silence(x, y):
    w = window()
    starts = range(0, len(x) - WINDOW + 1, HOP)
    levels = np.array([20 * np.log10(np.linalg.norm(w * x[s:s + WINDOW]) + 1e-12) for s in starts])
    kept = [s for s, level in zip(starts, levels) if level > levels.max() - 40]
    out = np.zeros((2, (len(kept) - 1) * HOP + WINDOW))
    for i, s in enumerate(kept):
        out[0, i * HOP:i * HOP + WINDOW] += w * x[s:s + WINDOW]
        out[1, i * HOP:i * HOP + WINDOW] += w * y[s:s + WINDOW]
    return out


def third_octaves(x):
    w = window()
    starts = range(0, len(x) - WINDOW, HOP)
    power = np.abs(np.array([np.fft.rfft(w * x[s:s + WINDOW], FFT) for s in starts]).T) ** 2
    frequency = np.arange(FFT // 2 + 1) * RATE / FFT
    bands = []
    for k in range(BANDS):
        centre = 150 * 2 ** (k / 3)
        first = np.argmin(np.abs(frequency - centre * 2 ** (-1 / 6)))
        last = np.argmin(np.abs(frequency - centre * 2 ** (1 / 6)))
        bands.append(np.sqrt(power[first:last].sum(axis=0)))
    return np.array(bands)


def figures(clean, processed):
    x, y = (third_octaves(z) for z in without_silence(clean, processed))
    stoi, estoi = [], []
    for m in range(SEGMENT, x.shape[1] + 1):
        a, b = x[:, m - SEGMENT:m], y[:, m - SEGMENT:m]
        scaled = b * np.linalg.norm(a, axis=1, keepdims=True) / np.linalg.norm(b, axis=1, keepdims=True)
        clipped = np.minimum(scaled, a * (1 + 10 ** (15 / 20)))
        u, v = a - a.mean(axis=1, keepdims=True), clipped - clipped.mean(axis=1, keepdims=True)
        stoi.append((u * v).sum(axis=1) / np.linalg.norm(u, axis=1) / np.linalg.norm(v, axis=1))

        def both(z):
            z = z - z.mean(axis=1, keepdims=True)
            z = z / np.linalg.norm(z, axis=1, keepdims=True)
            z = z - z.mean(axis=0, keepdims=True)
            return z / np.linalg.norm(z, axis=0, keepdims=True)

        estoi.append((both(a) * both(b)).sum() / SEGMENT)
    return np.mean(stoi), np.mean(estoi)


clean = voice(3 * RATE)
for name, processed in [("equal", clean), ("noise at half", clean + 0.5 * noise(len(clean), 7) * 0.3),
                        ("loud noise", clean + noise(len(clean), 9)),
                        ("gated", clean * (noise(len(clean), 3) > -0.2)),
                        ("slow gain", clean * (1 + 0.8 * np.sin(2 * np.pi * 3.3 * np.arange(len(clean)) / RATE)))]:
    print("%-14s stoi %.5f estoi %.5f" % (name, *figures(clean, processed)))
