#!/usr/bin/python3
"""Makes the demo: a 44 s scene about a tide mill, with its parts kept apart.

The keeper explains the wheel beside running water while a fiddle plays. The text, the tune and the drawing are ours; the
voice is synthesised (festival, cmu_us_slt_arctic_hts), the tune is rendered through FluidR3 GM (MIT licence). Needs, from
Debian: festival festvox-us-slt-hts fluidsynth fluid-soundfont-gm ffmpeg python3-numpy python3-pil fonts-b612.

Leaves in the folder of this script: tide-mill.mov and parts/{dialogue,reverb,music,ambience}.flac, whose sum is the
sound of the picture.
"""
import math
import struct
import subprocess
import sys
import tempfile
import wave
from pathlib import Path

import numpy as np
from PIL import Image, ImageDraw, ImageFont

RATE, SECONDS, FPS = 48000, 44, 25
N = RATE * SECONDS
HERE = Path(__file__).resolve().parent
rng = np.random.default_rng(612)

LINES = [  # start in seconds, what the keeper says
    (1.2, "Twice a day the tide comes up the creek, and twice a day it leaves again."),
    (7.4, "We let it in through that gate, and shut the gate behind it."),
    (12.2, "Then we wait. That is most of the work, waiting for the sea to go."),
    (18.3, "When the creek is low enough, I lift the sluice, and the wheel begins to turn."),
    (24.6, "Six tons of oak and iron. You can feel it in the floor before you hear it."),
    (30.9, "Stop here a moment, and listen."),
    (36.4, "My mother kept these stones dressed. Now it is my turn, until the next tide."),
]


def run(*command, **kwargs):
    subprocess.run(command, check=True, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, **kwargs)


def read_wav(path):
    raw = subprocess.run(["ffmpeg", "-v", "error", "-i", str(path), "-f", "f32le", "-ar", str(RATE), "-"],
                         check=True, stdout=subprocess.PIPE).stdout
    with wave.open(str(path)) as head:
        channels = head.getnchannels()
    return np.frombuffer(raw, np.float32).reshape(-1, channels).T.astype(np.float64)


def band(x, low, high):
    spectrum = np.fft.rfft(x)
    f = np.fft.rfftfreq(x.shape[-1], 1 / RATE)
    shape = 1 / (1 + (np.maximum(low, 1e-9) / np.maximum(f, 1e-9)) ** 4) / (1 + (f / high) ** 4)
    return np.fft.irfft(spectrum * np.sqrt(shape), x.shape[-1])


def slow(rate_hz, depth_db):
    """A slow random course around 1."""
    points = rng.uniform(-depth_db, depth_db, int(SECONDS * rate_hz) + 3)
    at = np.linspace(0, len(points) - 1.001, N)
    k = at.astype(int)
    part = 0.5 - 0.5 * np.cos(np.pi * (at - k))
    return 10 ** ((points[k] * (1 - part) + points[k + 1] * part) / 20)


def voice(folder):
    out = np.zeros(N)
    for i, (start, text) in enumerate(LINES):
        wav = folder / f"line{i}.wav"
        run("text2wave", "-eval", "(voice_cmu_us_slt_arctic_hts)", "-o", str(wav), input=text.encode())
        x = read_wav(wav)[0]
        at = int(start * RATE)
        out[at:at + len(x)] += x[:N - at]
    # The voice ends at 16 kHz; a breath of shaped noise keeps the consonants' air, as a real microphone would.
    air = np.abs(band(out, 5000, 9000))
    air = np.convolve(air, np.hanning(480) / 240, mode="same")
    out += 0.35 * air * band(rng.standard_normal(N), 9000, 19000)
    return out / np.sqrt(np.mean(out[np.abs(out) > 0.01] ** 2)) * 10 ** (-21 / 20)


def room(dry):
    """A wooden mill room: early reflections stay with the voice, the tail is the reverb part."""
    early = np.zeros((2, N))
    early += dry
    for ms, gain, side in [(7, 0.20, 0), (11, 0.17, 1), (19, 0.12, 0), (26, 0.09, 1)]:
        d = int(ms * RATE / 1000)
        early[side, d:] += gain * dry[:-d]
    length = int(0.7 * RATE)
    t = np.arange(length) / RATE
    tail = np.zeros((2, N))
    for c in range(2):
        response = rng.standard_normal(length)
        response = band(response, 100, 1500) * 10 ** (-3 * t / 0.55) + 0.6 * band(response, 1500, 9000) * 10 ** (-3 * t / 0.32)
        response[: int(0.030 * RATE)] = 0
        size = 1 << (N + length - 1).bit_length()
        tail[c] = np.fft.irfft(np.fft.rfft(dry, size) * np.fft.rfft(response, size), size)[:N]
    gain = np.sqrt(np.mean(early ** 2) / np.mean(tail ** 2)) * 10 ** (-11 / 20)
    return early, tail * gain


TUNE = [  # our own: a slow reel in D for two strains; (note, eighths)
    (62, 1), (66, 1), (69, 2), (71, 1), (69, 1), (66, 2), (64, 1), (66, 1), (67, 2), (66, 1), (64, 1), (62, 2),
    (62, 1), (66, 1), (69, 2), (74, 1), (73, 1), (71, 2), (69, 1), (67, 1), (66, 1), (64, 1), (62, 3), (0, 1),
    (74, 2), (73, 1), (71, 1), (69, 2), (66, 1), (69, 1), (71, 2), (69, 1), (67, 1), (66, 2), (64, 2),
    (62, 1), (64, 1), (66, 1), (67, 1), (69, 2), (66, 2), (64, 1), (62, 1), (61, 1), (64, 1), (62, 3), (0, 1),
]


def midi(path):
    def var(n):
        out = [n & 0x7F]
        while n := n >> 7:
            out.append((n & 0x7F) | 0x80)
        return bytes(reversed(out))

    ticks, events, at = 240, [], 0
    for repeat in range(3):
        for note, eighths in TUNE:
            length = eighths * ticks
            if note:
                events.append((at + int(rng.integers(0, 12)), bytes([0x90, note, int(rng.integers(74, 104))])))
                events.append((at + int(length * 0.95), bytes([0x80, note, 0])))
            at += length
        for start in range(at - sum(e for _, e in TUNE) * ticks, at, 8 * ticks):
            for note in (38, 45, 50):
                events.append((start, bytes([0x91, note, 52])))
                events.append((start + 8 * ticks - 20, bytes([0x81, note, 0])))
    events.sort(key=lambda e: e[0])
    track = b"\x00\xff\x51\x03" + struct.pack(">I", 560000)[1:] + b"\x00\xc0\x28\x00\xc1\x2a"
    last = 0
    for when, data in events:
        track += var(when - last) + data
        last = when
    track += b"\x00\xff\x2f\x00"
    path.write_bytes(b"MThd" + struct.pack(">IHHH", 6, 0, 1, 480) + b"MTrk" + struct.pack(">I", len(track)) + track)


def music(folder):
    midi(folder / "tune.mid")
    run("fluidsynth", "-ni", "-g", "0.6", "-r", str(RATE), "-F", str(folder / "tune.wav"),
        "/usr/share/sounds/sf2/FluidR3_GM.sf2", str(folder / "tune.mid"))
    x = read_wav(folder / "tune.wav")
    out = np.zeros((2, N))
    n = min(N - RATE * 3, x.shape[1])
    out[:, RATE * 3:RATE * 3 + n] = x[:, :n]
    fade = np.clip((np.arange(N) / RATE - 3) / 1.5, 0, 1) * np.clip((42.5 - np.arange(N) / RATE) / 2, 0, 1)
    out *= fade
    return out / np.sqrt(np.mean(out ** 2)) * 10 ** (-27 / 20)


def ambience():
    out = np.zeros((2, N))
    t = np.arange(N) / RATE
    wheel = 0.5 + 0.5 * np.sin(2 * np.pi * 0.42 * t)
    runs = np.clip((t - 17) / 4, 0, 1)
    for c in range(2):
        water = band(rng.standard_normal(N), 250, 6500) * slow(3, 3)
        stream = band(rng.standard_normal(N), 60, 500) * slow(1, 4)
        splash = band(rng.standard_normal(N), 900, 9000) * wheel ** 4 * runs
        out[c] = water + 1.2 * stream + 1.1 * splash
    for k in range(60):  # paddles knock, the axle creaks
        at = 18 + k * 0.595 + rng.uniform(-0.05, 0.05)
        if at > SECONDS - 1:
            break
        i = int(at * RATE)
        length = int(0.12 * RATE)
        tt = np.arange(length) / RATE
        knock = np.sin(2 * np.pi * rng.uniform(95, 140) * tt) * np.exp(-tt * 38) * 2.2
        creak = np.sin(2 * np.pi * (420 + 160 * tt / 0.12) * tt + 3 * np.sin(2 * np.pi * 61 * tt)) * np.hanning(length) * 0.25
        pan = rng.uniform(0.3, 0.7)
        out[0, i:i + length] += (knock + creak) * (1 - pan)
        out[1, i:i + length] += (knock + creak) * pan
    return out / np.sqrt(np.mean(out ** 2)) * 10 ** (-31 / 20)


def picture(folder):
    width, height = 640, 360
    font = ImageFont.truetype("/usr/share/fonts/opentype/b612/B612Mono-Regular.otf", 17)
    encoder = subprocess.Popen(
        ["ffmpeg", "-v", "error", "-y", "-f", "rawvideo", "-pix_fmt", "rgb24", "-s", f"{width}x{height}", "-r", str(FPS),
         "-i", "-", "-c:v", "libx264", "-preset", "slow", "-crf", "27", "-pix_fmt", "yuv420p", "-g", "25",
         str(folder / "picture.mov")], stdin=subprocess.PIPE)
    sky = Image.new("RGB", (width, height))
    draw = ImageDraw.Draw(sky)
    for y in range(height):
        k = y / height
        draw.line([(0, y), (width, y)], fill=(int(205 - 70 * k), int(188 - 40 * k), int(160 + 10 * k)))
    draw.rectangle([330, 70, 590, 290], fill=(96, 74, 60))      # the mill
    draw.polygon([(315, 75), (460, 12), (605, 75)], fill=(60, 46, 42))
    for x in (380, 460, 540):
        draw.rectangle([x, 110, x + 28, 150], fill=(222, 196, 130))
    angle = 0.0
    for frame in range(SECONDS * FPS):
        t = frame / FPS
        angle += 0.42 * 2 * math.pi / 8 / FPS * 3 * min(max((t - 17) / 4, 0.0), 1.0)
        image = sky.copy()
        draw = ImageDraw.Draw(image)
        cx, cy, r = 300, 225, 92
        for k in range(12):
            a = angle + k * math.pi / 6
            x, y = cx + r * math.cos(a), cy + r * math.sin(a)
            draw.line([(cx, cy), (x, y)], fill=(70, 52, 44), width=5)
            draw.line([(x - 14 * math.sin(a), y + 14 * math.cos(a)), (x + 14 * math.sin(a), y - 14 * math.cos(a))], fill=(48, 36, 32), width=7)
        draw.ellipse([cx - r, cy - r, cx + r, cy + r], outline=(58, 44, 38), width=6)
        draw.ellipse([cx - 12, cy - 12, cx + 12, cy + 12], fill=(40, 32, 30))
        level = 286 + 14 * min(t / 17, 1.0)
        draw.rectangle([0, level, width, height], fill=(62, 92, 98))
        for row in range(4):
            y = level + 8 + 18 * row
            points = [(x, y + 3 * math.sin(x / (19 + 7 * row) + t * (2.2 - 0.3 * row))) for x in range(0, width + 8, 8)]
            draw.line(points, fill=(104 - 8 * row, 140 - 8 * row, 144 - 8 * row), width=2)
        talking = any(start <= t <= start + 0.075 * len(text) for start, text in LINES)
        draw.ellipse([132, 172, 160, 202], fill=(196, 150, 120))  # the keeper
        draw.polygon([(146, 198), (116, 300), (178, 300)], fill=(52, 64, 84))
        draw.rectangle([128, 166, 164, 176], fill=(44, 40, 44))
        if talking and (frame // 3) % 2:
            draw.ellipse([142, 190, 151, 196], fill=(90, 40, 40))
        f = frame + FPS * 3600
        draw.text((12, 334), f"{f // (FPS * 3600):02d}:{f // (FPS * 60) % 60:02d}:{f // FPS % 60:02d}:{f % FPS:02d}", font=font, fill=(235, 230, 215))
        encoder.stdin.write(image.tobytes())
    encoder.stdin.close()
    if encoder.wait() != 0:
        sys.exit("ffmpeg failed")


def write_flac(path, x):
    pcm = np.clip(np.round(x.T * 32767), -32768, 32767).astype("<i2")
    run("ffmpeg", "-y", "-f", "s16le", "-ar", str(RATE), "-ac", "2", "-i", "-", "-compression_level", "12", str(path), input=pcm.tobytes())
    return pcm.astype(np.float64) / 32767


def main():
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        dialogue, reverb = room(voice(folder))
        parts = {"dialogue": dialogue, "reverb": reverb, "music": music(folder), "ambience": ambience()}
        (HERE / "parts").mkdir(exist_ok=True)
        mix = sum(write_flac(HERE / "parts" / f"{k}.flac", v) for k, v in parts.items())
        print("peak of the mix", np.abs(mix).max())
        raw = (np.clip(np.round(mix * 32767), -32768, 32767).astype("<i2")).tobytes()
        (folder / "mix.raw").write_bytes(raw)
        picture(folder)
        run("ffmpeg", "-y", "-i", str(folder / "picture.mov"), "-f", "s16le", "-ar", str(RATE), "-ac", "2", "-i",
            str(folder / "mix.raw"), "-c:v", "copy", "-c:a", "pcm_s16le", "-timecode", "01:00:00:00", "-metadata",
            "title=The tide mill", str(HERE / "tide-mill.mov"))


if __name__ == "__main__":
    main()
