"""The encoder, and the two heads that read its tokens: what they compute, for training.

internal/core/encoder computes the same in whole numbers. Widths and names agree with
its files: a weight file is a row of lists of floats and 8-bit matrices."""
import math
import struct

import numpy as np
import torch
import torch.nn as nn
import torch.nn.functional as F

MOST = 128  # pieces of a text
TOKEN = 128  # width of a token's vector
COMPARED = 48  # width of what the judge compares
HIDDEN = 64  # width of what it makes of that


class Reader:
    """Reads a weight file as test/weights writes it."""

    def __init__(self, path):
        self.bytes, self.at = open(path, "rb").read(), 0

    def size(self):
        (n,) = struct.unpack_from("<I", self.bytes, self.at)
        self.at += 4
        return n

    def floats(self):
        n = self.size()
        values = np.frombuffer(self.bytes, "<f4", n, self.at).copy()
        self.at += 4 * n
        return torch.tensor(values)

    def matrix(self, biased=True):
        rows, columns = self.size(), self.size()
        scale = self.floats()
        weights = np.frombuffer(self.bytes, "i1", rows * columns, self.at).reshape(rows, columns).astype("f4")
        self.at += rows * columns
        weights = torch.tensor(weights) * scale[:, None]
        return (weights, self.floats()) if biased else (weights, None)


class Writer:
    """Writes what Reader reads; matrices are rounded to 8 bits, a scale a row."""

    def __init__(self, path):
        self.file = open(path, "wb")

    def floats(self, values):
        values = np.asarray(values.detach() if torch.is_tensor(values) else values, "<f4").ravel()
        self.file.write(struct.pack("<I", len(values)))
        self.file.write(values.tobytes())

    def matrix(self, layer):
        weights = layer.weight.detach().numpy().astype("f4")
        scale = np.maximum(np.abs(weights).max(1) / 127, 1e-12)
        self.file.write(struct.pack("<II", *weights.shape))
        self.floats(scale)
        self.file.write(np.clip(np.rint(weights / scale[:, None]), -127, 127).astype("i1").tobytes())
        if getattr(layer, "bias", None) is not None:
            self.floats(layer.bias)

    def close(self):
        self.file.close()


def linear(read):
    weights, bias = read
    layer = nn.Linear(weights.shape[1], weights.shape[0])
    layer.weight.data, layer.bias.data = weights.clone(), bias.clone()
    return layer


class Norm(nn.Module):
    def __init__(self, scale, bias):
        super().__init__()
        self.scale, self.bias = nn.Parameter(scale), nn.Parameter(bias)

    def forward(self, x):
        return F.layer_norm(x, (x.shape[-1],), self.scale, self.bias, 1e-6)


class Layer(nn.Module):
    def __init__(self, path, first):
        super().__init__()
        r = Reader(path)
        self.attend_norm = Norm(r.floats(), r.floats())
        self.qkv, self.attended = linear(r.matrix()), linear(r.matrix())
        self.residual = linear(r.matrix()) if first else None
        self.feed_norm = Norm(r.floats(), r.floats())
        self.feed_up, self.feed_down = linear(r.matrix()), linear(r.matrix())
        self.output = None if first else linear(r.matrix())

    def forward(self, x, mask, dropout):
        n, length, _ = x.shape
        heads = 4
        parts = self.qkv(self.attend_norm(x)).chunk(3, -1)
        size = parts[0].shape[-1] // heads
        q, k, v = [t.view(n, length, heads, size).transpose(1, 2) for t in parts]
        weights = (q @ k.transpose(-1, -2)) / math.sqrt(size)
        if not mask.all():
            weights = weights.masked_fill(~mask[:, None, None, :], -1e9)
        joined = (weights.softmax(-1) @ v).transpose(1, 2).reshape(n, length, heads * size)
        out = self.attended(joined)
        if dropout:
            out = F.dropout(out, dropout)
        y = out + (x if self.residual is None else self.residual(x))
        fed = self.feed_down(F.relu(self.feed_up(self.feed_norm(y))))
        if dropout:
            fed = F.dropout(fed, dropout)
        return y + fed

    def write(self, path):
        w = Writer(path)
        w.floats(self.attend_norm.scale), w.floats(self.attend_norm.bias)
        w.matrix(self.qkv), w.matrix(self.attended)
        if self.residual is not None:
            w.matrix(self.residual)
        w.floats(self.feed_norm.scale), w.floats(self.feed_norm.bias)
        w.matrix(self.feed_up), w.matrix(self.feed_down)
        if self.output is not None:
            w.matrix(self.output)
        w.close()


class Encoder(nn.Module):
    def __init__(self, folder):
        super().__init__()
        r = Reader(folder + "/embeddings.bin")
        weights, _ = r.matrix(False)
        self.embeddings = nn.Embedding(*weights.shape)
        self.embeddings.weight.data = weights.clone()
        self.register_buffer("inverse", r.floats())
        angle = torch.arange(MOST)[:, None].float() * self.inverse[None]
        self.register_buffer("positions", torch.cat([angle.sin(), angle.cos()], -1))
        self.layers = nn.ModuleList([Layer(f"{folder}/layer{i}.bin", i == 0) for i in range(2)])

    def states(self, ids, mask, dropout=0.0):
        x = 2 * self.embeddings(ids)
        if dropout:
            x = F.dropout(x, dropout)
        x = x + self.positions[: ids.shape[1]]
        for layer in self.layers:
            x = layer(x, mask, dropout)
        return x

    def pooled(self, states, mask):
        mean = (states * mask[..., None]).sum(1) / mask.sum(1, keepdim=True).clamp(min=1)
        return F.normalize(torch.tanh(self.layers[1].output(mean)), dim=-1)

    def read(self, texts, dropout=0.0):
        """States (texts x pieces x width), mask and vectors of lists of ids."""
        most = max(1, max(len(t) for t in texts))
        states, vectors, order = [], [], []
        for chunk in alike_in_length(texts):
            ids, mask = padded([texts[i] for i in chunk])
            x = self.states(ids, mask, dropout)
            vectors.append(self.pooled(x, mask))
            states.append(F.pad(x * mask[..., None], (0, 0, 0, most - x.shape[1])))
            order += chunk
        back = torch.empty(len(order), dtype=torch.long)
        back[torch.tensor(order)] = torch.arange(len(order))
        mask = torch.zeros(len(texts), most, dtype=torch.bool)
        for i, t in enumerate(texts):
            mask[i, : max(1, len(t))] = True
        return torch.cat(states)[back], mask, torch.cat(vectors)[back]

    def write(self, folder):
        w = Writer(folder + "/embeddings.bin")
        w.matrix(self.embeddings), w.floats(self.inverse)
        w.close()
        for i, layer in enumerate(self.layers):
            layer.write(f"{folder}/layer{i}.bin")


class Judge(nn.Module):
    """Holds the tokens of a question against those of a sentence.

    Each token becomes a unit vector. The best match of each token of the question,
    weighed by how much the token tells, is the match of the two. For the judgement the
    tokens are aligned softly both ways, and each is compared with what it is aligned to."""

    def __init__(self):
        super().__init__()
        self.token = nn.Linear(512, TOKEN, bias=False)
        nn.init.orthogonal_(self.token.weight)
        self.telling = nn.Linear(TOKEN, 1)
        self.compared = nn.Linear(TOKEN, COMPARED)
        self.asked = nn.Linear(4 * COMPARED + 1, HIDDEN)  # of the question's tokens
        self.said = nn.Linear(4 * COMPARED + 1, HIDDEN)  # of the sentence's
        self.missing = nn.Linear(HIDDEN, 1)
        self.inner = nn.Linear(4 * HIDDEN + 3, HIDDEN)
        self.outer = nn.Linear(HIDDEN, 1)
        self.steep = nn.Parameter(torch.tensor(2.0))  # log of how sharply tokens are aligned
        self.scale = nn.Parameter(torch.tensor(20.0))  # of matches, in training only

    def tokens(self, states, dropout=0.0):
        if dropout:
            states = F.dropout(states, dropout)
        return F.normalize(self.token(states), dim=-1)

    def weights(self, tokens, mask):
        w = F.softplus(self.telling(tokens * math.sqrt(TOKEN))[..., 0]) * mask
        return w / w.sum(-1, keepdim=True).clamp(min=1e-6)

    def match(self, q, mq, s, ms):
        """Questions x sentences: how well each question's tokens are matched."""
        i, t = mq.nonzero(as_tuple=True)
        n, length = ms.shape
        like = (q[i, t] @ s.reshape(n * length, -1).T).view(-1, n, length).masked_fill(~ms[None], -2.0).amax(-1)
        return torch.zeros(len(q), n).index_add_(0, i, like * self.weights(q, mq)[i, t][:, None])

    def forward(self, q, mq, s, ms, cosine, dropout=0.0):
        """Pairs: how sure it is that the sentence answers (a logit), and for each token
        of the question that nothing covers it (logits)."""
        raw = q @ s.transpose(1, 2)
        sharp = raw * self.steep.exp()
        of_q = sharp.masked_fill(~ms[:, None], -1e4).softmax(-1)
        of_s = sharp.masked_fill(~mq[:, :, None], -1e4).softmax(1)
        best_q = raw.masked_fill(~ms[:, None], -1.0).amax(-1, keepdim=True)
        best_s = raw.masked_fill(~mq[:, :, None], -1.0).amax(1)[..., None]
        cq, cs = self.compared(q * math.sqrt(TOKEN)), self.compared(s * math.sqrt(TOKEN))
        aligned_q, aligned_s = of_q @ cs, of_s.transpose(1, 2) @ cq
        a = F.relu(self.asked(torch.cat([cq, aligned_q, cq * aligned_q, (cq - aligned_q).abs(), best_q], -1)))
        b = F.relu(self.said(torch.cat([cs, aligned_s, cs * aligned_s, (cs - aligned_s).abs(), best_s], -1)))
        if dropout:
            a, b = F.dropout(a, dropout), F.dropout(b, dropout)
        wq, ws = self.weights(q, mq)[..., None], self.weights(s, ms)[..., None]
        missing = self.missing(a)[..., 0]
        chance = torch.sigmoid(missing.masked_fill(~mq, -9.0))
        matched = (best_q[..., 0] * wq[..., 0]).sum(1)
        extra = torch.stack([matched, cosine, chance.amax(1)], -1)
        pooled = torch.cat(
            [(a * wq).sum(1), a.masked_fill(~mq[..., None], 0).amax(1), (b * ws).sum(1), b.masked_fill(~ms[..., None], 0).amax(1), extra], -1
        )
        return self.outer(F.relu(self.inner(pooled)))[..., 0], missing

    def layers(self):
        return (self.token, self.telling, self.compared, self.asked, self.said, self.missing, self.inner, self.outer)

    def read(self, path):
        r = Reader(path)
        for layer in self.layers():
            weights, bias = r.matrix(layer.bias is not None)
            layer.weight.data = weights
            if bias is not None:
                layer.bias.data = bias
        self.steep.data = r.floats()[0].log()

    def write(self, path):
        w = Writer(path)
        for layer in self.layers():
            w.matrix(layer)
        w.floats(self.steep.exp().reshape(1))
        w.close()


def alike_in_length(texts, most=2600):
    """Places of texts, in groups whose lengths hardly differ."""
    groups, group = [], []
    for i in sorted(range(len(texts)), key=lambda i: len(texts[i])):
        n = len(texts[i])
        if group and ((len(group) + 1) * n > most or n > 1.35 * len(texts[group[0]]) + 3):
            groups.append(group)
            group = []
        group.append(i)
    return groups + [group] if group else groups


def padded(lists):
    n = max(1, max(len(x) for x in lists))
    ids, mask = torch.zeros(len(lists), n, dtype=torch.long), torch.zeros(len(lists), n, dtype=torch.bool)
    for i, x in enumerate(lists):
        ids[i, : len(x)] = torch.tensor(x, dtype=torch.long)
        mask[i, : max(1, len(x))] = True
    return ids, mask
