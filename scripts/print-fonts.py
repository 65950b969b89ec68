"""Merges subsets of a web font into one TrueType file, for printing: print-fonts.py OUT.ttf SUBSET.woff2..."""

import sys
import tempfile
from pathlib import Path

from fontTools.merge import Merger
from fontTools.ttLib import TTFont

out, *subsets = sys.argv[1:]
with tempfile.TemporaryDirectory() as folder:
    unpacked = []
    for n, subset in enumerate(subsets):
        font = TTFont(subset)
        font.flavor = None
        path = Path(folder) / f"{n}.ttf"
        font.save(path)
        unpacked.append(str(path))
    Merger().merge(unpacked).save(out)
