"""Teaches the encoder and the judge customers' words.

    train.py BASE OUT [KEY=VALUE...]

BASE holds the weights to begin with (the judge begins anew if it is not among them), OUT
takes those that were learnt. Each step is two
businesses: some of their passages with all sentences, the questions about them, and the
questions that nothing answers."""
import copy
import os
import random
import sys
import time

import torch
import torch.nn.functional as F

import data
from model import Encoder, Judge

options = {"seed": 2.0, "epochs": 24.0, "share": 0.45, "rate": 3e-4, "heads": 1e-3, "dropout": 0.1, "every": 200.0, "at_once": 2.0, "stories": 0.0, "blend": 1.0, "threads": 1.0, "minutes": 600.0, "first": 0.0}
options.update((k, float(v)) for k, v in (a.split("=") for a in sys.argv[3:]))
BASE, OUT = sys.argv[1], sys.argv[2]
SHARP = 20.0  # of cosines
LOOKED_AT = 8  # sentences that are judged for each question
STORIED = ("long", "mail", "two")  # kinds that have stories around them, or more than one question
OFTEN = {"direct": 0.4, "short": 0.5}  # how often a kind is asked; others 0.85
torch.set_num_threads(int(options["threads"]))
torch.manual_seed(int(options["seed"]))
rng = random.Random(int(options["seed"]))
log = lambda *a: print(*a, flush=True)


def gathered(businesses):
    """One step's sentences and questions, of one or more businesses."""
    sentences, questions = [], []
    for b in businesses:
        n = len(b.passages)
        chosen = set(rng.sample(range(n), min(n, max(8, int(n * options["share"])))))
        for i, s in enumerate(b.sentences):
            if s.passage in chosen:
                sentences.append((b, i))
        for q in b.questions:
            if set(q.passages) <= chosen and rng.random() < (0.6 if q.none else OFTEN.get(q.kind, 0.85)):
                questions.append((b, q))
    questions.sort(key=lambda x: x[1].none)
    return sentences, questions


def asked_as(b, q, stories):
    """One form of a question, now and then with a story around it."""
    ids = rng.choice(q.forms[:1] * 2 + q.forms[1:])
    if stories and q.kind not in STORIED and rng.random() < options["stories"]:
        ids = data.told_around(ids, b, q, stories, rng)
    return ids


def step(encoder, judge, sentences, questions, stories, dropout):
    view = rng.choices(["headed", "bare", "trailed"], [0.75, 0.1, 0.15])[0]
    asked = [asked_as(b, q, stories) for b, q in questions]
    answered = sum(not q.none for _, q in questions)
    qx, qm, qv = encoder.read(asked, dropout)
    sx, sm, sv = encoder.read([getattr(b.sentences[i], view) for b, i in sentences], dropout)
    place = {(id(b), i): j for j, (b, i) in enumerate(sentences)}
    gold = torch.zeros(len(questions), len(sentences), dtype=torch.bool)
    same = gold.clone()
    for row, (b, q) in enumerate(questions):
        for i in q.gold:
            gold[row, place[id(b), i]] = True
        for p in q.passages:
            for i in b.passages[p]:
                same[row, place[id(b), i]] = True

    def found(scores):
        log_p = torch.log_softmax(scores[:answered], 1)
        loss = -0.6 * torch.logsumexp(log_p.masked_fill(~gold[:answered], -1e9), 1).mean()
        loss = loss - 0.4 * torch.logsumexp(log_p.masked_fill(~same[:answered], -1e9), 1).mean()
        held = gold.any(0)  # each answering sentence tells its question from the others
        log_c = torch.log_softmax(scores[:, held], 0)
        return loss - 0.3 * (log_c.masked_fill(~gold[:, held], 0).sum(0) / gold[:, held].sum(0)).mean()

    q, s = judge.tokens(qx, dropout), judge.tokens(sx, dropout)
    cosine, match = qv @ sv.T, judge.match(q, qm, s, sm)
    by_cosine, by_match, by_both = cosine * SHARP, match * judge.scale, None
    by_both = 0.6 * (by_cosine + by_match)
    with torch.no_grad():
        best = (cosine + match).topk(min(LOOKED_AT, len(sentences)), 1).indices
        for row in range(answered):
            missed = [j for j in gold[row].nonzero()[:, 0].tolist()[:2] if j not in best[row].tolist()]
            for k, j in enumerate(missed):
                best[row, -1 - k] = j
    rows, k = best.shape
    repeat, chosen = torch.arange(rows)[:, None].expand(rows, k).reshape(-1), best.reshape(-1)
    most = int(sm[chosen].sum(1).max())
    # The cosine is withheld now and then, so that the judge reads.
    given = cosine.detach()[repeat, chosen] * (torch.rand(rows * k) > 0.3)
    sure, missing = judge(q[repeat], qm[repeat], s[chosen][:, :most], sm[chosen][:, :most], given, dropout)
    sure, right = sure.view(rows, k), gold.gather(1, best).float()
    near = same.gather(1, best)
    none = torch.tensor([q.none for _, q in questions])
    weight = torch.where(right > 0, 1.0, torch.where(near & ~none[:, None], 0.3, torch.where(near, 1.5, 1.0)))
    each = (F.binary_cross_entropy_with_logits(sure, right * 0.95 + 0.02, reduction="none") * weight).sum() / weight.sum()
    log_s = torch.log_softmax(sure[:answered], 1)
    listed = -torch.logsumexp(log_s.masked_fill(right[:answered] == 0, -1e9), 1).mean()
    labels = torch.zeros(rows, qm.shape[1])
    for row, (_, question) in enumerate(questions):
        l = data.lacking(question, asked[row])
        labels[row, : len(l)] = torch.tensor(l, dtype=torch.float)
    labels = labels[:, None].expand(rows, k, -1)
    counts = ((labels > 0) & near[..., None]) | ((labels < 0) & (right > 0)[..., None])
    heavy = counts * torch.where(labels > 0, 2.0, 0.5)
    lacks = F.binary_cross_entropy_with_logits(missing.view(rows, k, -1), (labels > 0).float(), reduction="none")
    lacks = (lacks * heavy).sum() / (heavy.sum() + 1e-6)
    parts = [found(by_cosine), found(by_match), found(by_both), each, listed, lacks]
    return sum(w * p for w, p in zip([0.6, 0.6, 0.4, 2.0, 0.5, 0.3], parts)), parts


@torch.no_grad()
def measure(encoder, judge, businesses):
    """Right passage first, among three, by each way of finding; and how well each
    tells what is answered from what is not (area under the curve)."""
    ways = ("cosine", "match", "both", "judge")
    hits = {w: {} for w in ways}
    tops = {w: ([], []) for w in ways}
    judge.eval()
    for b in businesses:
        qx, qm, qv = encoder.read([q.forms[0] for q in b.questions])
        sx, sm, sv = encoder.read([s.headed for s in b.sentences])
        q, s = judge.tokens(qx), judge.tokens(sx)
        cosine, match = qv @ sv.T, judge.match(q, qm, s, sm)
        both = cosine + match
        best = both.topk(12, 1).indices
        sure = torch.full_like(both, -30.0) + both
        for row in range(len(b.questions)):
            c = best[row]
            logit, _ = judge(q[row : row + 1].expand(12, -1, -1), qm[row : row + 1].expand(12, -1), s[c], sm[c], cosine[row, c])
            sure[row, c] = logit + 3 * both[row, c]
        for way, scores in zip(ways, (cosine, match, both, sure)):
            for row, question in enumerate(b.questions):
                by_passage = torch.stack([scores[row, list(p)].max() for p in b.passages])
                order = by_passage.argsort(descending=True).tolist()
                if question.none:
                    tops[way][1].append(float(by_passage.max()))
                    continue
                place = min(order.index(p) for p in question.passages)
                for kind in (question.kind, "all"):
                    n = hits[way].setdefault(kind, [0, 0, 0])
                    n[0] += 1
                    n[1] += place == 0
                    n[2] += place < 3
                if place == 0:
                    tops[way][0].append(float(by_passage.max()))
    judge.train()
    for way in ways:
        good, bad = torch.tensor(tops[way][0]), torch.tensor(tops[way][1])
        area = (good[:, None] > bad[None]).float().mean()
        shown = "  ".join("%s %.0f/%.0f" % (k, 100 * a / n, 100 * c / n) for k, (n, a, c) in sorted(hits[way].items()))
        log("   %-7s %.3f  %s" % (way, area, shown))
    return hits["judge"]["all"][1]


def blend(model, before):
    """Moves what was learnt back towards what it began with: the mean of both is better
    than either where the second stage of a training went on from the first."""
    share = options["blend"]
    learnt = model.state_dict()
    model.load_state_dict({k: (1 - share) * before[k] + share * v for k, v in learnt.items()})


def main():
    trained = data.load("first" if options["first"] else "trained", int(options["seed"]))
    fitted = data.load("fitted", 1)
    log(len(trained), "businesses,", sum(len(b.questions) for b in trained.values()), "questions")
    stories = [list(b.stories.values()) for b in trained.values() if b.stories]
    encoder, judge = Encoder(BASE), Judge()
    if os.path.exists(BASE + "/judge.bin"):
        judge.read(BASE + "/judge.bin")
    deep = [p for n, p in encoder.named_parameters() if p.dim() > 1 and "embeddings" not in n]
    flat = [p for p in encoder.parameters() if p.dim() == 1]
    rate = options["rate"]
    groups = [
        {"params": deep, "weight_decay": 0.01, "most": rate},
        {"params": flat, "weight_decay": 0.0, "most": rate},
        {"params": [encoder.embeddings.weight], "weight_decay": 0.0, "most": rate / 2},
        {"params": list(judge.parameters()), "weight_decay": 0.02, "most": options["heads"]},
    ]
    began_with = copy.deepcopy((encoder.state_dict(), judge.state_dict()))
    optimizer = torch.optim.AdamW(groups, rate, betas=(0.9, 0.98))
    measure(encoder, judge, fitted.values())
    at_once = int(options["at_once"])
    total, began, order, seen = int(options["epochs"] * len(trained) / at_once), time.time(), [], [0.0] * 7
    for n in range(total):
        gone = max(n / total, (time.time() - began) / 60 / options["minutes"])
        if gone >= 1:
            break
        for g in optimizer.param_groups:
            g["lr"] = g["most"] * min(1, (n + 1) / 25) * max(0.02, 1 - gone)
        businesses = []
        while len(businesses) < at_once:
            if not order:
                order = sorted(trained)
                rng.shuffle(order)
            businesses.append(trained[order.pop()])
        loss, parts = step(encoder, judge, *gathered(businesses), stories, options["dropout"])
        optimizer.zero_grad()
        loss.backward()
        torch.nn.utils.clip_grad_norm_(encoder.parameters(), 1.0)
        torch.nn.utils.clip_grad_norm_(judge.parameters(), 2.0)
        optimizer.step()
        for i, v in enumerate([loss] + parts):
            seen[i] += float(v) / 25
        if n % 25 == 24:
            log(n + 1, "%.0fs loss %.3f cosine %.3f match %.3f both %.3f each %.3f listed %.3f lacks %.3f" % (time.time() - began, *seen))
            seen = [0.0] * 7
        if n % int(options["every"]) == int(options["every"]) - 1:
            measure(encoder, judge, fitted.values())
    log("minutes %.1f" % ((time.time() - began) / 60))
    blend(encoder, began_with[0])
    blend(judge, began_with[1])
    measure(encoder, judge, fitted.values())
    os.makedirs(OUT, exist_ok=True)
    encoder.write(OUT)
    judge.write(OUT + "/judge.bin")
    torch.save({"encoder": encoder.state_dict(), "judge": judge.state_dict()}, OUT + "/state.pt")


main()
