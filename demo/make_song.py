#!/usr/bin/python3
"""Makes a song of our own with its parts kept apart: to be opened into parts and delivered as an instrumental.

A lantern keeper's song in D minor, 100 beats a minute: score, words and instruments stand in this file and share nothing with what
models learn from. It is sung by a synthesised talker (flite slt): its words are cut out of speech, stretched on their vowels and played
through the mouth's filter (linear prediction) at the pitch of the tune. Needs, from Debian: flite ffmpeg python3-numpy python3-scipy.

Leaves lantern-song.flac (the sum) and lantern-song/{voices,drums,bass,rest}.flac. With the folder that `rivlen-cli split --parts`
wrote to: how near its parts are to these, and what of the voices is left in the music without them.
"""
import subprocess
import sys
import tempfile
from pathlib import Path

import numpy as np
from scipy.linalg import solve_toeplitz
from scipy.signal import butter, lfilter, sosfilt

RATE, BPM, BARS = 48000, 100, 10
BEAT = 60 / BPM
N = int(RATE * (BARS * 4 * BEAT + 1.5))
HERE = Path(__file__).resolve().parent
rng = np.random.default_rng(412)

# Bar, beat, word, MIDI note, beats. It begins in the third bar.
TUNE = [
    (2, 0, "hang", 62, 1), (2, 1, "the", 65, 1), (2, 2, "lan", 69, 1), (2, 3, "tern", 67, 1),
    (3, 0, "low", 65, 3),
    (4, 0, "let", 67, 1), (4, 1, "the", 65, 1), (4, 2, "slow", 64, 1), (4, 3, "boats", 62, 1),
    (5, 0, "know", 64, 3),
    (6, 0, "all", 62, 1), (6, 1, "the", 65, 1), (6, 2, "way", 69, 1), (6, 3, "from", 70, 1),
    (7, 0, "sea", 69, 3),
    (8, 0, "one", 67, 1), (8, 1, "will", 65, 1), (8, 2, "come", 64, 1), (8, 3, "to", 61, 1),
    (9, 0, "me", 62, 3.5),
]
CHORDS = [(50, 53, 57), (50, 53, 57), (50, 53, 57), (46, 50, 53), (48, 52, 55), (45, 49, 52), (50, 53, 57), (46, 50, 53),
          (43, 46, 50), (50, 53, 57)]


def hz(note):
    return 440 * 2 ** ((note - 69) / 12)


def put(out, seconds, x, pan=0.0):
    """Into a stereo part; pan -1 (left) to 1."""
    at = max(0, int(seconds * RATE))
    x = x[:max(0, N - at)]
    angle = (pan + 1) * np.pi / 4
    out[at:at + len(x), 0] += np.cos(angle) * np.sqrt(2) * x
    out[at:at + len(x), 1] += np.sin(angle) * np.sqrt(2) * x


def room(x, seconds, wet):
    """The same with a room around it: a tail that decays, other on both sides."""
    n = int(seconds * RATE)
    out = x.copy()
    for side in range(2):
        tail = rng.standard_normal(n) * 10 ** (-3 * np.arange(n) / n)
        tail = sosfilt(butter(1, 5000, fs=RATE, output="sos"), tail)
        tail /= np.sqrt(np.sum(tail ** 2))
        size = len(x) + n
        both = np.fft.irfft(np.fft.rfft(x[:, side], size) * np.fft.rfft(tail, size), size)[:len(x)]
        out[:, side] += wet * both
    return out


def say(word):
    with tempfile.TemporaryDirectory() as name:
        wav = Path(name) / "say.wav"
        subprocess.run(["flite", "-voice", "slt", "-t", word, "-o", str(wav)], check=True)
        raw = subprocess.run(["ffmpeg", "-v", "error", "-i", str(wav), "-f", "f32le", "-ac", "1", "-ar", "24000", "-"], check=True,
                             stdout=subprocess.PIPE).stdout
    x = np.frombuffer(raw, np.float32).astype(np.float64)
    loud = np.flatnonzero(np.abs(x) > 0.02 * np.abs(x).max())
    return x[max(0, loud[0] - 240):loud[-1] + 240]


def sung(word, note, seconds, before):
    """A word at the pitch of a note, gliding from the one before, its loudest stretch held."""
    spoken, rate, order, hop = say(word), 24000, 28, 120
    frames = max(3, (len(spoken) - 3 * hop) // hop)
    window = np.hanning(4 * hop)
    filters, energies, noisy = [], [], []
    padded = np.concatenate([spoken, np.zeros(4 * hop)])
    for i in range(frames):
        piece = padded[i * hop:i * hop + 4 * hop] * window
        piece = np.append(piece[0], piece[1:] - 0.9 * piece[:-1])
        r = np.correlate(piece, piece, "full")[len(piece) - 1:len(piece) + order]
        r[0] = r[0] * 1.0001 + 1e-9
        a = solve_toeplitz(r[:-1], r[1:])
        filters.append(np.concatenate([[1.0], -a]))
        energies.append(np.sqrt(max(r[0] - np.dot(a, r[1:]), 1e-12) / (4 * hop)))
        spectrum = np.abs(np.fft.rfft(padded[i * hop:i * hop + 4 * hop] * window)) ** 2
        noisy.append(spectrum[len(spectrum) // 3:].sum() / (spectrum.sum() + 1e-12) > 0.5)
    energies = np.array(energies)
    # Consonants keep their length; the loudest voiced stretch lasts as long as the note asks.
    middle = int(np.argmax(np.where(noisy, 0, np.convolve(energies, np.ones(9) / 9, "same"))))
    wanted = int(seconds * rate / hop)
    order_of = list(range(frames))
    if wanted > frames:
        swing = np.clip(middle + np.round(3 * np.sin(np.arange(wanted - frames) / 5)), 0, frames - 1).astype(int)
        order_of = list(range(middle)) + list(swing) + list(range(middle, frames))
    out, state, phase = [], np.zeros(order), 0.0
    for k, i in enumerate(order_of):
        t = k * hop / rate
        glide = min(1.0, t / 0.07)
        vibrato = 0.35 * np.sin(2 * np.pi * 5.3 * t) * np.clip((t - 0.25) / 0.3, 0, 1)
        f = hz(before + (note - before) * glide + vibrato)
        steps = (phase + np.arange(1, hop + 1) * f / rate)
        pulses = np.diff(np.floor(np.concatenate([[phase], steps])))
        phase = steps[-1] % 1.0
        voiced = pulses * np.sqrt(rate / f)
        breath = rng.standard_normal(hop)
        excitation = energies[i] * (breath if noisy[i] else 0.97 * voiced + 0.07 * breath)
        y, state = lfilter([1.0], filters[i], excitation, zi=state)
        out.append(y)
    x = lfilter([1.0], [1.0, -0.9], np.concatenate(out))
    fade = min(len(x), int(0.04 * rate))
    x[-fade:] *= np.linspace(1, 0, fade)
    spectrum = np.fft.rfft(x)
    double = np.zeros(len(x) + 1, complex)
    double[:len(spectrum)] = spectrum
    return 2 * np.fft.irfft(double, 2 * len(x))  # at 48 kHz


def voices():
    out = np.zeros((N, 2))
    before = TUNE[0][3]
    for bar, beat, word, note, beats in TUNE:
        x = sung(word, note, beats * BEAT * 0.96, before)
        x *= 0.11 / np.sqrt(np.mean(x ** 2))
        put(out, (bar * 4 + beat) * BEAT - 0.03, x)
        before = note
    return room(out, 1.3, 0.28)


def drums():
    out = np.zeros((N, 2))
    t = np.arange(int(0.5 * RATE)) / RATE
    kick = np.sin(2 * np.pi * (48 * t + 60 / 28 * (1 - np.exp(-28 * t)))) * np.exp(-9 * t)
    noise = rng.standard_normal(len(t))
    snare = 0.7 * sosfilt(butter(2, [1200, 9000], "band", fs=RATE, output="sos"), noise) * np.exp(-17 * t)
    snare += 0.5 * np.sin(2 * np.pi * 186 * t) * np.exp(-24 * t)
    hat = sosfilt(butter(3, 7500, "high", fs=RATE, output="sos"), noise) * np.exp(-60 * t)
    for bar in range(BARS):
        for eighth in range(8):
            at = (bar * 4 + eighth / 2) * BEAT + rng.normal(0, 0.003)
            if eighth in (0, 5) or (eighth == 7 and bar % 4 == 3):
                put(out, at, 0.55 * rng.uniform(0.85, 1) * kick)
            if eighth in (2, 6):
                put(out, at, 0.32 * rng.uniform(0.85, 1) * snare, 0.05)
            if bar > 0:
                put(out, at, (0.12 if eighth % 2 == 0 else 0.07) * hat, -0.3)
        if bar % 4 == 3:
            for k in range(4):
                put(out, (bar * 4 + 3 + k / 4) * BEAT, 0.2 * snare, -0.2 + 0.15 * k)
    return room(out, 0.5, 0.1)


def bass():
    out = np.zeros((N, 2))
    for bar, chord in enumerate(CHORDS):
        for eighth, step in ((0, 0), (3, 0), (4, 7), (6, 12 if bar % 2 else 0)):
            beats = 1.0 if eighth in (0, 4) else 0.5
            t = np.arange(int(beats * BEAT * 1.05 * RATE)) / RATE
            f = hz(chord[0] - 12 + step)
            tone = sum(np.sin(2 * np.pi * f * k * t) / k ** 1.3 for k in range(1, 9))
            tone = sosfilt(butter(2, 900, fs=RATE, output="sos"), tone)
            shape = np.minimum(1, t / 0.006) * np.exp(-2.2 * t) * np.minimum(1, (t[-1] - t) / 0.03)
            put(out, (bar * 4 + eighth / 2) * BEAT + rng.normal(0, 0.004), 0.26 * tone * shape)
    return out


def pluck(f, seconds):
    """A plucked string: noise that goes round a delay line with a loss (Karplus and Strong 1983)."""
    period = int(RATE / f)
    line = rng.uniform(-1, 1, period)
    line -= line.mean()
    out = np.empty(int(seconds * RATE))
    for start in range(0, len(out), period):
        n = min(period, len(out) - start)
        out[start:start + n] = line[:n]
        line = 0.996 * 0.5 * (line + np.roll(line, 1))
    return out


def rest():
    out = np.zeros((N, 2))
    for bar, chord in enumerate(CHORDS):
        broken = (0, 1, 2, 1, 0, 2, 1, 2)
        for eighth in range(8):
            note = chord[broken[eighth]] + (12 if eighth % 4 == 2 else 0)
            put(out, (bar * 4 + eighth / 2) * BEAT + rng.normal(0, 0.005), 0.16 * pluck(hz(note + 12), 1.4), 0.45)
        t = np.arange(int(4 * BEAT * RATE)) / RATE
        shape = np.minimum(1, t / 0.3) * np.minimum(1, (t[-1] - t) / 0.25)
        for i, note in enumerate(chord):  # a small organ
            f = hz(note + 12)
            tone = sum(a * np.sin(2 * np.pi * f * k * t + i) for k, a in ((1, 1.0), (2, 0.5), (3, 0.2), (4, 0.25), (6, 0.08)))
            put(out, bar * 4 * BEAT, 0.035 * tone * shape, -0.5 + 0.1 * i)
    return room(out, 1.6, 0.2)


def write(path, x):
    path.parent.mkdir(exist_ok=True)
    subprocess.run(["ffmpeg", "-v", "error", "-y", "-f", "f64le", "-ac", "2", "-ar", str(RATE), "-i", "-", "-c:a", "flac", "-sample_fmt",
                    "s16", str(path)], input=x.astype("<f8").tobytes(), check=True)


def read(path):
    raw = subprocess.run(["ffmpeg", "-v", "error", "-i", str(path), "-f", "f64le", "-"], check=True, stdout=subprocess.PIPE).stdout
    return np.frombuffer(raw, "<f8").reshape(-1, 2)


def si_sdr(truth, x):
    """Le Roux et al. 2019, equation 3, over both channels."""
    truth, x = truth.ravel(), x.ravel()
    target = np.dot(truth, x) / np.dot(truth, truth) * truth
    return 10 * np.log10(np.sum(target ** 2) / np.sum((x - target) ** 2))


PARTS = ("voices", "drums", "bass", "rest")

if __name__ == "__main__":
    if len(sys.argv) > 1:
        song = read(HERE / "lantern-song.flac")
        for name in PARTS:
            truth = read(HERE / "lantern-song" / f"{name}.flac")
            found = read(Path(sys.argv[1]) / f"lantern-song {name}.wav")
            print(f"{name:7} {si_sdr(truth, found):5.1f} dB, {si_sdr(truth, found) - si_sdr(truth, song):+5.1f} over the song")
    else:
        parts = {"voices": voices(), "drums": drums(), "bass": bass(), "rest": rest()}
        peak = np.abs(sum(parts.values())).max()
        for name in PARTS:
            parts[name] = np.round(parts[name] * 0.8 / peak * 2 ** 15) / 2 ** 15
            write(HERE / "lantern-song" / f"{name}.flac", parts[name])
        write(HERE / "lantern-song.flac", sum(parts.values()))
