"""The made-up businesses as the training reads them: passages in the program's own
sentences, questions with the sentences that answer, and forms of them as they are typed."""
import json
import os
import random
import re
import subprocess
from types import SimpleNamespace as Record

import snowballstemmer

HERE = os.path.dirname(os.path.abspath(__file__))
ROOT = os.path.dirname(os.path.dirname(HERE))
FOLDER = ROOT + "/test/quality/businesses"
SPLIT = json.load(open(ROOT + "/test/quality/businesses-split.json"))
LONGEST = 64  # pieces of a sentence with its heading
LISTED = 100  # pieces of a question, the last ones
FORMS = 6  # of each question

stem = snowballstemmer.stemmer("english").stemWord
PIECES = [line.split("\t")[0] for line in open(ROOT + "/internal/core/encoder/weights/pieces.tsv", encoding="utf8")]
STOP = set(
    """a an the of to in on at for from by with is are was were be been am do does did i you we they he she it me my your our
their us them this that these those and or but if so as not no can could will would shall should may might must have has had there
here what which who whom how when where why just s t m re ve ll d""".split()
)


def names(kind):
    """The businesses that are judged, fitted (what trained nothing), trained, or first: those
    of the trained that were there before others were added."""
    if kind not in ("trained", "first"):
        return SPLIT[kind]
    apart = set(SPLIT["judged"]) | set(SPLIT["fitted"])
    if kind == "first":
        apart |= set(SPLIT["added"])
    return [n for n in sorted(f[:-5] for f in os.listdir(FOLDER) if f.endswith(".json")) if n not in apart]


def read(texts):
    """The program's pieces and sentences of each text."""
    program = os.environ.get("PIECES") or "go run ./test/training/pieces"
    lines = "".join(json.dumps(t) + "\n" for t in texts)
    out = subprocess.run(program.split(), cwd=ROOT, input=lines, capture_output=True, text=True, check=True).stdout
    return [json.loads(line) for line in out.splitlines()]


def words(s):
    return {stem(w) for w in re.findall(r"[a-z0-9]+", s.lower())} - STOP


def slip(w, rng):
    a = rng.randrange(0, len(w) - 1)
    return rng.choice(
        [w[:a] + w[a + 1] + w[a] + w[a + 2 :], w[:a] + w[a + 1 :], w[:a] + w[a] + w[a:], w[:a] + rng.choice("abcdefghijklmnopqrstuvwxyz") + w[a + 1 :]]
    )


def typed(s, rng):
    """A question as it might be typed: small letters, slips, words left out."""
    r = rng.random()
    if r < 0.35:
        s = s.lower()
    elif r < 0.5:
        s = s.lower().rstrip("?.!").replace(",", "")
    elif r < 0.54:
        s = s.upper()
    if rng.random() < 0.5:
        share = rng.choice([0.1, 0.15, 0.3])
        s = " ".join(slip(w, rng) if len(w) > 3 and rng.random() < share else w for w in s.split())
    if rng.random() < 0.1:
        s = " ".join(w for w in s.split() if rng.random() > 0.12) or s
    return s


ASKS = re.compile(r"\?|\b(can|could|may|do|does|what|when|where|which|who|how|wonder\w*|know|please|tell|if|whether)\b", re.I)


def story(message):
    """The sentences of a long message or mail that ask nothing."""
    return [s for s in re.split(r"(?<=[.!?])\s+|\n+", message) if len(s) > 3 and not ASKS.search(s)]


def load(kind, seed):
    """Businesses of a kind, by name."""
    rng = random.Random(seed)
    texts, wanted = [], []  # all texts whose pieces are wanted, and where these go

    def want(record, field, text):
        texts.append(text)
        wanted.append((record, field))

    businesses = {}
    raw = {n: json.load(open(f"{FOLDER}/{n}.json")) for n in names(kind)}
    cut = iter(read([p["text"] for d in raw.values() for p in d["passages"]]))
    for name, d in raw.items():
        b = businesses[name] = Record(passages=[], sentences=[], questions=[], stories={})
        at = {}
        for i, p in enumerate(d["passages"]):
            at[p["id"]] = i
            head, trail = p["trail"][-1] if p["trail"] else "", " - ".join(p["trail"])
            first, whole = len(b.sentences), p["text"].encode()
            for start, end in next(cut)["sentences"]:
                text = whole[start:end].decode()
                s = Record(passage=i, start=len(whole[:start].decode()), end=len(whole[:end].decode()), text=text)
                want(s, "bare", text)
                want(s, "headed", f"{head}: {text}" if head else text)
                want(s, "trailed", f"{trail}: {text}" if trail else text)
                b.sentences.append(s)
            b.passages.append(range(first, len(b.sentences)))
        for q in d["questions"]:
            none = q["kind"] == "unanswerable"
            text = q["after"] + " " + q["q"] if q["kind"] == "followup" else q["q"]
            pairs = zip(q["passages"], q["quotes"]) if q["kind"] == "two" else [(q.get("near") if none else q["passage"], q.get("quote"))]
            question = Record(kind=q["kind"], none=none, passages=[], gold=[], forms=[], lacks=words(q.get("lacks", "")), text=text)
            for where, quote in pairs:
                question.passages.append(at[where])
                if none:
                    continue
                start = d["passages"][at[where]]["text"].index(quote)
                end = start + len(quote)
                question.gold += [j for j in b.passages[at[where]] if min(end, b.sentences[j].end) - max(start, b.sentences[j].start) > 3]
            want(question, "forms", text)
            for _ in range(FORMS - 2 if kind in ("trained", "first") else 0):
                want(question, "forms", typed(text, rng))
            b.questions.append(question)
            if q["kind"] in ("long", "mail"):
                told = b.stories.setdefault(at[q["passage"]], [])
                for sentence in story(q["q"]):
                    told.append(Record())
                    want(told[-1], "pieces", sentence)
    for (record, field), r in zip(wanted, read(texts)):
        if field == "forms":
            record.forms.append(r["pieces"][-LISTED:] or [6])
        elif field == "pieces":
            record.pieces = r["pieces"]
        else:
            setattr(record, field, r["pieces"][:LONGEST] or [6])
    return businesses


def told_around(ids, b, q, others, rng):
    """A question in the midst of a story: one that somebody told who asked about the same
    passage, or any, cut to what is read of a question."""
    stories = b.stories.get(q.passages[0], []) if rng.random() < 0.5 else []
    if not stories:
        stories = rng.choice(rng.choice(others))
    some = [s.pieces for s in rng.sample(stories, min(len(stories), rng.choice([1, 2, 3])))]
    at = rng.randint(0, len(some))
    return [p for s in some[:at] + [ids] + some[at:] for p in s][-LISTED:]


def lacking(q, ids):
    """For each piece of a question: 1 where its word is what the passage lacks, -1
    where the passage covers it, 0 where that is not known."""
    if not q.none:
        return [-1] * len(ids)
    labels, word, span = [0] * len(ids), "", []

    def close():
        if span and words(word) & q.lacks:
            for k in span:
                labels[k] = 1

    for k, piece in enumerate(ids):
        text = PIECES[piece]
        if text.startswith("▁"):
            close()
            word, span = "", []
        word += text.replace("▁", "")
        span.append(k)
    close()
    return labels
