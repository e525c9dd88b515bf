"""Writes what the weights in a folder come to, for the test of the encoder in Go.

    reference.py FOLDER OUT

The folder OUT holds sentences.txt and takes reference.bin, a vector of 512 little-endian
floats for each of them, and judged.tsv, lines of question, sentence, cosine, match and
judgement."""
import sys

import torch

import data
from model import Encoder, Judge, Reader

PAIRS = [
    ("can i bring my bike on the boat?", "Bicycles: Bicycles travel free on every sailing, up to six on each boat."),
    ("can i bring my bike on the boat?", "Opening hours: The office is open from nine to five, Monday to Friday."),
    ("my pram, does it cost extra?", "Children: Pushchairs and wheelchairs travel free."),
    ("whats your phone number", "Contact: Ring us on 01632 960 100 between eight and six."),
    ("Hello there. I booked for Tuesday, and now my daughter is ill. Could we go a week later, or is the money gone?", "Changes: A booking can be moved once, free of charge, up to 24 hours before departure."),
    ("card got swallowed", "Lost tickets: We print a lost ticket again for £2."),
    ("wifi", "On board: There is no wireless network on the small boats."),
    ("?", "On board: Hot food is served until eight."),
]


def judge_of(path, judge):
    r = Reader(path)
    with torch.no_grad():
        for layer in (judge.token, judge.telling, judge.compared, judge.asked, judge.said, judge.missing, judge.inner, judge.outer):
            weights, bias = r.matrix(layer.bias is not None)
            layer.weight.copy_(weights)
            if bias is not None:
                layer.bias.copy_(bias)
        judge.steep.copy_(r.floats()[0].log())
    return judge.eval()


@torch.no_grad()
def main():
    encoder, judge = Encoder(sys.argv[1]), judge_of(sys.argv[1] + "/judge.bin", Judge())
    ids = [r["pieces"] for r in data.read([s for pair in PAIRS for s in pair])]
    sentences = open(sys.argv[2] + "/sentences.txt").read().removesuffix("\n").split("\n")
    with open(sys.argv[2] + "/reference.bin", "wb") as out:
        for r in data.read(sentences):
            out.write(encoder.read([r["pieces"]])[2].numpy().astype("<f4").tobytes())
    with open(sys.argv[2] + "/judged.tsv", "w") as out:
        for i, pair in enumerate(PAIRS):
            qx, qm, qv = encoder.read(ids[2 * i : 2 * i + 1])
            sx, sm, sv = encoder.read(ids[2 * i + 1 : 2 * i + 2])
            q, s = judge.tokens(qx), judge.tokens(sx)
            cosine, match = (qv @ sv.T)[0], judge.match(q, qm, s, sm)[0]
            sure, _ = judge(q, qm, s, sm, cosine)
            out.write("%s\t%s\t%.5f\t%.5f\t%.5f\n" % (*pair, cosine, match, sure))


main()
