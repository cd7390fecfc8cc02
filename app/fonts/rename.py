#!/usr/bin/python3
"""Gives B612 the family name "Rivlen Text": Debian's B612 Mono calls its family "B612", too, and where that is installed a
program that asks for B612 gets the wide one. Nothing else of the fonts is changed. Needs python3-fonttools and fonts-b612.

rename.py /usr/share/fonts/opentype/b612 writes Text-Regular.otf and Text-Bold.otf beside this script.
"""
import sys
from pathlib import Path

from fontTools.ttLib import TTFont

FAMILY, FULL, POST_SCRIPT, WWS_FAMILY, TYPOGRAPHIC_FAMILY = 1, 4, 6, 21, 16

for style in ("Regular", "Bold"):
    font = TTFont(Path(sys.argv[1]) / f"B612-{style}.otf")
    names = font["name"]
    for record in list(names.names):
        text = {FAMILY: "Rivlen Text", TYPOGRAPHIC_FAMILY: "Rivlen Text", WWS_FAMILY: "Rivlen Text",
                FULL: f"Rivlen Text {style}", POST_SCRIPT: f"RivlenText-{style}"}.get(record.nameID)
        if text:
            names.setName(text, record.nameID, record.platformID, record.platEncID, record.langID)
    top = font["CFF "].cff
    top.fontNames = [f"RivlenText-{style}"]
    top.topDictIndex[0].FamilyName = "Rivlen Text"
    top.topDictIndex[0].FullName = f"Rivlen Text {style}"
    font.save(Path(__file__).resolve().parent / f"Text-{style}.otf")
