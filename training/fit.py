"""Fits the ear's small networks: Adam with decoupled weight decay (Loshchilov and Hutter 2019) over
shuffled batches, the step falling to
nothing along half a cosine. Deterministic for a seed.
"""

import itertools
from collections.abc import Callable, Sequence

import numpy as np
from numpy.typing import NDArray

from thrumble.core.ear.model.network import Array, Network

Matrix = NDArray[np.float32]
Rows = NDArray[np.intp]
# From a batch's outputs, and which examples they are of, the slope of its mean loss by those
# outputs.
Loss = Callable[[Matrix, Rows], Matrix]
RATE = 0.002
FIRST_KEEP, SECOND_KEEP = 0.9, 0.999
LOOK = 4000  # examples that set the inputs' centre and scale


def fit_network(
    seen: Callable[[Rows], Matrix],
    examples: int,
    loss: Loss,
    *,
    hidden: tuple[int, ...],
    outputs: int,
    decay: float,
    passes: int,
    batch: int = 512,
    seed: int = 0,
) -> Network:
    """A network that makes `loss` small. `seen` gives the inputs of some examples, one row an
    example or the same number of rows for each.
    """
    rng = np.random.default_rng(seed)
    look = seen(np.sort(rng.permutation(examples)[:LOOK]))
    centre, scale = look.mean(axis=0, dtype=np.float64), look.std(axis=0, dtype=np.float64) + 1e-6
    sizes = [look.shape[1], *hidden, outputs]
    parts = [
        part
        for a, b in itertools.pairwise(sizes)
        for part in (_drawn(a, b, rng), np.zeros(b, np.float32))
    ]
    first, second = [np.zeros_like(p) for p in parts], [np.zeros_like(p) for p in parts]
    batches = -(-examples // batch)
    for step in range(passes * batches):
        if step % batches == 0:
            order = rng.permutation(examples)
        rows = np.sort(order[step % batches :: batches])
        x = np.clip((seen(rows) - centre.astype(np.float32)) / scale.astype(np.float32), -4, 4)
        rate = RATE * 0.5 * (1 + np.cos(np.pi * step / (passes * batches)))
        for k, slope in enumerate(_slopes(parts, x, rows, loss)):
            first[k] += (1 - FIRST_KEEP) * (slope - first[k])
            second[k] += (1 - SECOND_KEEP) * (slope**2 - second[k])
            move = (
                first[k]
                / (1 - FIRST_KEEP ** (step + 1))
                / (np.sqrt(second[k] / (1 - SECOND_KEEP ** (step + 1))) + 1e-8)
            )
            parts[k] -= np.float32(rate) * (move + decay * parts[k] if parts[k].ndim == 2 else move)
    return Network(
        centre,
        scale,
        tuple(
            (w.astype(np.float64), b.astype(np.float64))
            for w, b in zip(parts[::2], parts[1::2], strict=True)
        ),
    )


def fit_several(members: int, *told: object, **how: object) -> Network:
    """As many networks as `members` says, fitted alike but for their draws, as one whose outputs
    are the means of theirs.
    """
    return joined([fit_network(*told, seed=k, **how) for k in range(members)])  # type: ignore[arg-type]


def joined(networks: Sequence[Network]) -> Network:
    """One network whose outputs are the means of several of the same hidden layers: these side by
    side, none of which sees the others'. Inputs are clipped at four spreads of the first one's.
    """
    first, *_ = networks
    seen = [
        (
            one.layers[0][0] * (first.scale / one.scale)[:, np.newaxis],
            one.layers[0][1] + ((first.centre - one.centre) / one.scale) @ one.layers[0][0],
        )
        for one in networks
    ]
    layers = [(np.hstack([w for w, _ in seen]), np.hstack([b for _, b in seen]))]
    for parts in list(zip(*(one.layers for one in networks), strict=True))[1:-1]:
        layers.append((_beside([w for w, _ in parts]), np.hstack([b for _, b in parts])))
    last = [one.layers[-1] for one in networks]
    means = np.vstack([w for w, _ in last]) / len(last), np.mean([b for _, b in last], axis=0)
    return Network(first.centre, first.scale, (*layers, means))


def _beside(blocks: Sequence[Array]) -> Array:
    """A matrix with the blocks along its diagonal and nothing else."""
    out = np.zeros((sum(len(b) for b in blocks), sum(b.shape[1] for b in blocks)))
    row = column = 0
    for block in blocks:
        rows, columns = block.shape
        out[row : row + rows, column : column + columns] = block
        row, column = row + rows, column + columns
    return out


def _drawn(inputs: int, outputs: int, rng: np.random.Generator) -> Matrix:
    return (rng.standard_normal((inputs, outputs)) / np.sqrt(inputs)).astype(np.float32)


def _slopes(parts: list[Matrix], x: Matrix, rows: Rows, loss: Loss) -> list[Matrix]:
    """By every weight and bias, in order."""
    kept = [x]
    for k in range(0, len(parts), 2):
        z = kept[-1] @ parts[k] + parts[k + 1]
        kept.append(z if k + 2 == len(parts) else np.tanh(z))
    slope, out = loss(kept[-1], rows), []
    for k in range(len(parts) - 2, -1, -2):
        out += [slope.sum(axis=0), kept[k // 2].T @ slope]
        slope = (slope @ parts[k].T) * (1 - kept[k // 2] ** 2)
    return out[::-1]


def struck_or_not(classes: NDArray[np.int_]) -> Loss:
    """Cross-entropy of one output, the log odds of class 1."""
    return lambda scores, rows: (
        (1 / (1 + np.exp(-scores)) - classes[rows, np.newaxis]) / len(scores)
    ).astype(np.float32)


def one_of(classes: NDArray[np.int_]) -> Loss:
    """Cross-entropy of several outputs, the scores of the classes."""
    return lambda scores, rows: _cross_entropy_slope(
        scores, np.eye(scores.shape[1], dtype=np.float32)[classes[rows]]
    )


def place_of(wanted: Matrix) -> Loss:
    """Cross-entropy of places and of none of them: one output for every place, all places of an
    example in turn, and 0 for none; `wanted`
    (examples, places) adds up to 1 in a row, or to 0 if none is right."""

    def slopes(scores: Matrix, rows: Rows) -> Matrix:
        own = wanted[rows]
        none = np.zeros((rows.size, 1), np.float32)
        right = np.concatenate([own, 1 - own.sum(axis=1, keepdims=True)], axis=1)
        return _cross_entropy_slope(
            np.concatenate([scores.reshape(rows.size, -1), none], axis=1), right
        )[:, :-1].reshape(-1, 1)

    return slopes


def near(values: Matrix, shares: Matrix) -> Loss:
    """Half the squared distance of one output, each example weighed by its share against the mean
    share.
    """
    shares = shares / shares.mean()
    return lambda scores, rows: (
        ((scores[:, 0] - values[rows]) * shares[rows])[:, np.newaxis] / len(scores)
    ).astype(np.float32)


def _cross_entropy_slope(scores: Matrix, wanted: Matrix) -> Matrix:
    shifted = np.exp(scores - scores.max(axis=1, keepdims=True))
    return np.asarray(
        (shifted / shifted.sum(axis=1, keepdims=True) - wanted) / np.float32(len(scores)),
        dtype=np.float32,
    )


DIRECTIONS = 64


def fit_whitening(measures: Matrix) -> Network:
    """A network without hidden layers whose outputs are the measures' main directions, each of mean
    0 and variance 1 over the examples: their mean square tells how far a new example lies from
    these.
    """
    centre, scale = measures.mean(axis=0, dtype=np.float64), measures.std(axis=0) + 1e-6
    x = np.clip((measures - centre) / scale, -4, 4).astype(np.float64)
    middle = x.mean(axis=0)
    x -= middle
    variances, directions = np.linalg.eigh(x.T @ x / len(x))
    weights = directions[:, -DIRECTIONS:] / np.sqrt(variances[-DIRECTIONS:])
    return Network(centre, scale.astype(np.float64), ((weights, -middle @ weights),))
