#!/usr/bin/python3
"""Makes a scene to be placed in space: 16 s on a quay in the evening, through which a ferrywoman's mate walks with a lantern.

He comes in on the right, goes behind a shed, comes out again and stops on the left, talking all the way into the one
microphone of the camera; water laps and a halyard ticks. The text and the drawing are ours; the voice is synthesised
(festival, kal_diphone). Needs, from Debian: festival festvox-kallpc16k ffmpeg python3-numpy python3-pil.

Leaves quay-walk.mov in the folder of this script. Where he is: x_of() of the picture's width, which the test of the demo
(tests/app/space_demo_test.cpp) has, too.
"""
import math
import subprocess
import sys
import tempfile
from pathlib import Path

import numpy as np
from PIL import Image, ImageDraw

from make import RATE, band, read_wav, run

SECONDS, FPS, WIDTH, HEIGHT = 16, 25, 640, 360
N = RATE * SECONDS
HERE = Path(__file__).resolve().parent
rng = np.random.default_rng(714)

LINES = [  # start in seconds, what he says
    (0.5, "Mind the boards, they are wet. I will take the lantern."),
    (4.6, "This is the last crossing before the tide turns."),
    (8.6, "Could you still hear me behind the shed?"),
    (12.2, "Good. Then cast off, and keep the lamp low."),
]
FIRST, LAST, WALK = 0.86, 0.12, 13.0  # of the picture's width; seconds
SHED = (0.44, 0.56)


def x_of(t):
    return FIRST + (LAST - FIRST) * min(t / WALK, 1.0)


def voice(folder):
    out = np.zeros(N)
    for i, (start, text) in enumerate(LINES):
        wav = folder / f"line{i}.wav"
        run("text2wave", "-eval", "(voice_kal_diphone)", "-o", str(wav), input=text.encode())
        x = read_wav(wav)[0]
        at = int(start * RATE)
        out[at:at + len(x)] += x[:N - at]
    return out / np.sqrt(np.mean(out[np.abs(out) > 0.01] ** 2)) * 10 ** (-22 / 20)


def tail(dry):
    """Water and walls give a little back."""
    length = int(0.5 * RATE)
    t = np.arange(length) / RATE
    out = np.zeros((2, N))
    size = 1 << (N + length - 1).bit_length()
    for c in range(2):
        response = band(rng.standard_normal(length), 200, 4000) * 10 ** (-3 * t / 0.4)
        response[: int(0.02 * RATE)] = 0
        out[c] = np.fft.irfft(np.fft.rfft(dry, size) * np.fft.rfft(response, size), size)[:N]
    return out * np.sqrt(np.mean(dry ** 2) / np.mean(out ** 2)) * 10 ** (-14 / 20)


def water():
    t = np.arange(N) / RATE
    out = np.zeros((2, N))
    for c in range(2):
        lap = 0.5 + 0.5 * np.sin(2 * np.pi * 0.31 * t + 1.9 * c) * np.sin(2 * np.pi * 0.083 * t + c)
        out[c] = band(rng.standard_normal(N), 90, 1400) + 0.8 * band(rng.standard_normal(N), 500, 5000) * lap ** 2
        for at in np.arange(0.4 + 0.37 * c, SECONDS - 0.2, 1.13):  # a halyard at its mast
            i, n = int((at + rng.uniform(0, 0.08)) * RATE), int(0.05 * RATE)
            tt = np.arange(n) / RATE
            out[c, i:i + n] += np.sin(2 * np.pi * 2350 * tt) * np.exp(-tt * 120) * 0.5
    return out / np.sqrt(np.mean(out ** 2)) * 10 ** (-36 / 20)


def ground():
    image = Image.new("RGB", (WIDTH, HEIGHT))
    draw = ImageDraw.Draw(image)
    for y in range(HEIGHT):
        k = y / HEIGHT
        draw.line([(0, y), (WIDTH, y)], fill=(int(38 + 70 * k), int(48 + 50 * k), int(78 + 22 * k)))
    draw.ellipse([88, 40, 122, 74], fill=(224, 220, 196))  # the moon
    for x in (30, 205, 520, 600):  # masts
        draw.line([(x, 60), (x, 230)], fill=(30, 32, 44), width=4)
        draw.line([(x, 80), (x + 34, 200)], fill=(44, 46, 58), width=2)
    draw.rectangle([0, 300, WIDTH, HEIGHT], fill=(52, 46, 44))  # the quay
    for x in range(0, WIDTH, 26):
        draw.line([(x, 300), (x - 14, HEIGHT)], fill=(38, 34, 34), width=2)
    grain = rng.integers(-6, 7, (HEIGHT, WIDTH, 1))
    return Image.fromarray(np.clip(np.asarray(image).astype(int) + grain, 0, 255).astype(np.uint8))


def figure(draw, x, step):
    swing = 7 * math.sin(step)
    draw.line([(x, 258), (x - swing, 318)], fill=(34, 30, 36), width=9)
    draw.line([(x, 258), (x + swing, 318)], fill=(34, 30, 36), width=9)
    draw.polygon([(x - 15, 268), (x + 15, 268), (x + 11, 206), (x - 11, 206)], fill=(168, 82, 58))
    draw.line([(x - 13, 240), (x + 13, 240)], fill=(216, 176, 96), width=5)
    draw.ellipse([x - 10, 184, x + 10, 208], fill=(206, 164, 132))
    draw.rectangle([x - 12, 181, x + 12, 190], fill=(40, 52, 60))
    draw.line([(x - 10, 222), (x - 20, 244)], fill=(140, 66, 48), width=6)
    draw.rectangle([x - 25, 244, x - 15, 258], fill=(250, 226, 140))


def picture(path):
    encoder = subprocess.Popen(
        ["ffmpeg", "-v", "error", "-y", "-f", "rawvideo", "-pix_fmt", "rgb24", "-s", f"{WIDTH}x{HEIGHT}", "-r", str(FPS),
         "-i", "-", "-c:v", "libx264", "-preset", "slow", "-crf", "27", "-pix_fmt", "yuv420p", "-g", "25", str(path)],
        stdin=subprocess.PIPE)
    still = ground()
    for frame in range(SECONDS * FPS):
        t = frame / FPS
        image = still.copy()
        draw = ImageDraw.Draw(image)
        draw.rectangle([0, 232, WIDTH, 300], fill=(40, 56, 74))
        for row in range(4):
            y = 240 + 16 * row
            points = [(x, y + 2 * math.sin(x / (17 + 6 * row) + t * (1.8 - 0.3 * row))) for x in range(0, WIDTH + 8, 8)]
            draw.line(points, fill=(70 - 6 * row, 92 - 6 * row, 112 - 6 * row), width=2)
        figure(draw, x_of(t) * WIDTH, 2.6 * math.pi * t if t < WALK else 0.0)
        left, right = SHED[0] * WIDTH, SHED[1] * WIDTH
        draw.rectangle([left, 150, right, 322], fill=(74, 62, 56))
        draw.polygon([(left - 8, 152), ((left + right) / 2, 118), (right + 8, 152)], fill=(54, 44, 44))
        for x in np.arange(left + 8, right, 12):
            draw.line([(x, 152), (x, 322)], fill=(62, 52, 48), width=2)
        encoder.stdin.write(image.tobytes())
    encoder.stdin.close()
    if encoder.wait() != 0:
        sys.exit("ffmpeg failed")


def main():
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        dry = voice(folder)
        mix = dry + tail(dry) + water()
        print("peak of the mix", np.abs(mix).max())
        picture(folder / "picture.mov")
        raw = np.clip(np.round(mix.T * 32767), -32768, 32767).astype("<i2").tobytes()
        run("ffmpeg", "-y", "-i", str(folder / "picture.mov"), "-f", "s16le", "-ar", str(RATE), "-ac", "2", "-i", "-",
            "-map", "0:v", "-map", "1:a", "-c:v", "copy", "-c:a", "pcm_s16le", "-timecode", "01:10:00:00",
            str(HERE / "quay-walk.mov"), input=raw)


if __name__ == "__main__":
    main()
