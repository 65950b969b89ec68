# Merges the latin and latin-ext subsets of a web font into one TrueType file, for printing.
import sys, tempfile, os
from fontTools.ttLib import TTFont
from fontTools.merge import Merger
out, *sources = sys.argv[1:]
paths = []
for s in sources:
    f = TTFont(s); f.flavor = None
    p = tempfile.mktemp(suffix=".ttf"); f.save(p); paths.append(p)
m = Merger().merge(paths); m.save(out)
for p in paths: os.remove(p)
