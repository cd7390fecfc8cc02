#!/usr/bin/python3
# SPDX-License-Identifier: GPL-3.0-or-later
"""What teaching a part of the music brings: 8 s of a part alone stand before the demo's song, the model of parts
learns them, and what follows of the song is parted before and after.

    python3 demo/teach_song.py build/release/cli/rivlen-cli [voices] [drums] [bass] [rest]

Needs what make_song.py needs; writes into a temporary folder only."""
import subprocess
import sys
import tempfile
from pathlib import Path

import numpy as np

from make_song import HERE, PARTS, RATE, read, si_sdr, write

ALONE = slice(int(4.5 * RATE), int(12.5 * RATE))  # of a part, to learn from
JUDGED = slice(13 * RATE, 24 * RATE)              # other words, other bars


def gains(cli, song, folder, *model):
    subprocess.run([cli, "split", song, "--parts", "--model", "fine", "-o", folder / "stems", "--overwrite",
                    "--work", folder / "work", *model], check=True, capture_output=True)
    whole = read(song)[JUDGED]
    found = []
    for name in PARTS:
        truth = read(HERE / "lantern-song" / f"{name}.flac")[JUDGED]
        estimate = read(folder / "stems" / f"{song.stem} {name}.wav")[JUDGED]
        found.append(si_sdr(truth, estimate) - si_sdr(truth, whole))
    return found


def row(name, figures):
    print(f"| {name} | " + " | ".join(f"{x:+.1f}" for x in figures) + " |", flush=True)


def main():
    cli, taught = sys.argv[1], sys.argv[2:] or PARTS
    song = HERE / "lantern-song.flac"
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        print("| taught with 8 s of | " + " | ".join(PARTS) + " |\n|" + "---|" * (1 + len(PARTS)))
        row("nothing", gains(cli, song, folder))
        for part in taught:
            alone = read(HERE / "lantern-song" / f"{part}.flac")[ALONE]
            write(folder / "both.flac", np.concatenate([alone, read(song)]))
            subprocess.run([cli, "teach", folder / "both.flac", f"--{part}", "0-8", "-o", folder / "taught.safetensors",
                            "--overwrite", "--work", folder / "work"], check=True, capture_output=True)
            row(part, gains(cli, song, folder, "--parts-model", folder / "taught.safetensors"))


if __name__ == "__main__":
    main()
