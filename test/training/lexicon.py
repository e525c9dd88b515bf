"""Learns which words customers use where a text uses others, as word translation.

    lexicon.py OUT

Each question is taken for a translation of the sentences that answer it, with their
headings (IBM model 1: Brown and others, 1993, "The Mathematics of Statistical Machine
Translation"). OUT takes a line for each word of texts, with the words of customers
behind it and how many times likelier each is there than anywhere."""
import json
import re
import sys
from collections import Counter, defaultdict

import data

ROUNDS = 6
FEWEST = 3  # businesses' questions that must hold a word, and passages
LIKELIER = 2.0  # what is less is left out
MOST = 24  # words behind one


def said(s):
    return [w for w in re.findall(r"[a-z0-9]+", s.lower().replace("'", "")) if w not in data.STOP]


def main():
    pairs, forms = [], defaultdict(Counter)
    for name in data.names("first"):
        business = json.load(open(f"{data.FOLDER}/{name}.json"))
        passages = {p["id"]: p for p in business["passages"]}
        for q in business["questions"]:
            if q["kind"] in ("unanswerable", "typo"):
                continue
            asked = q["q"] + " " + q.get("after", "")
            for where, quote in zip(q.get("passages") or [q["passage"]], q.get("quotes") or [q["quote"]]):
                sides = []
                for text in (asked, quote + " " + " ".join(passages[where]["trail"])):
                    stems = []
                    for word in said(text):
                        stem = data.stem(word)
                        forms[stem][word] += 1
                        stems.append(stem)
                    sides.append(stems)
                pairs.append((name, *sides))
    asked, held = defaultdict(set), defaultdict(set)
    for name, q, d in pairs:
        for w in q:
            asked[w].add(name)
        for t in d:
            held[t].add(name)
    asked = {w for w, names in asked.items() if len(names) >= FEWEST}
    held = {t for t, names in held.items() if len(names) >= FEWEST}
    pairs = [([w for w in q if w in asked], [t for t in d if t in held] + [""]) for _, q, d in pairs]
    often = Counter(w for q, _ in pairs for w in q)
    total = sum(often.values())
    # How likely a word of a text makes a word of a question; "" makes what belongs to none.
    chance = defaultdict(dict)
    for q, d in pairs:
        for w in q:
            for t in d:
                chance[t][w] = 1.0
    for _ in range(ROUNDS):
        counts = defaultdict(lambda: defaultdict(float))
        for q, d in pairs:
            for w in q:
                all_ = sum(chance[t].get(w, 0) for t in d)
                for t in d:
                    counts[t][w] += chance[t].get(w, 0) / all_
        # A little of what is said anywhere, so that what was met twice is not certain.
        chance = {t: {w: (c + 3 * often[w] / total) / (sum(ws.values()) + 3) for w, c in ws.items()} for t, ws in counts.items()}
    word = {stem: c.most_common(1)[0][0] for stem, c in forms.items()}
    with open(sys.argv[1], "w") as out:
        for t in sorted(chance, key=lambda t: word.get(t, "")):
            lifts = sorted(((p * total / often[w], w) for w, p in chance[t].items() if p * total / often[w] >= LIKELIER and p > 0.004), reverse=True)
            if t and lifts:
                out.write(word[t] + ": " + ", ".join("%s %.0f" % (word[w], lift) for lift, w in lifts[:MOST]) + "\n")


main()
