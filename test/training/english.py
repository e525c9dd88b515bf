"""Makes the list of English words, with how often the trained businesses use each.

    english.py OUT

It reads the lists of Debian's packages wamerican-small and wbritish-small."""
import gzip
import json
import re
import sys
from collections import Counter

import data

FEWEST = 3  # uses from which on a word of the businesses is one of English


def words(s):
    return re.findall(r"[a-z]+", s.lower().replace("'", ""))


def main():
    known = set()
    for name in ("american", "british"):
        for line in open(f"/usr/share/dict/{name}-english-small", encoding="utf8"):
            word = line.strip().lower()
            if re.fullmatch(r"[a-z]+", word):
                known.add(word)
    used = Counter()
    for name in data.names("first"):
        business = json.load(open(f"{data.FOLDER}/{name}.json"))
        for p in business["passages"]:
            used.update(words(p["text"]))
        for q in business["questions"]:
            if q["kind"] != "typo":
                used.update(words(q["q"]))
    known |= {w for w, n in used.items() if n >= FEWEST and len(w) > 2}
    lines = "".join(f"{w} {used[w]}\n" if used[w] > 1 else w + "\n" for w in sorted(known))
    with open(sys.argv[1], "wb") as out:
        out.write(gzip.compress(lines.encode(), 9, mtime=0))


main()
