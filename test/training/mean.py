"""Writes the mean of weights: those that runs began from, and what came of each run. It finds
better than each.

    mean.py OUT BEGAN RUN..."""
import sys

import torch

from model import Encoder, Judge


def read(folder):
    encoder, judge = Encoder(folder), Judge()
    judge.read(folder + "/judge.bin")
    return encoder, judge


def learnt(folder):
    """What a run came to, before it was rounded."""
    encoder, judge = read(folder)
    state = torch.load(folder + "/state.pt")
    encoder.load_state_dict(state["encoder"])
    judge.load_state_dict(state["judge"])
    return encoder, judge


def main():
    runs = [read(sys.argv[2])] + [learnt(folder) for folder in sys.argv[3:]]
    out = read(sys.argv[2])
    with torch.no_grad():
        for part in range(2):
            states = [run[part].state_dict() for run in runs]
            out[part].load_state_dict({k: sum(s[k] for s in states) / len(states) for k in states[0]})
    out[0].write(sys.argv[1])
    out[1].write(sys.argv[1] + "/judge.bin")


main()
