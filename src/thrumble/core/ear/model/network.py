"""A small feed-forward network: standardised inputs, tanh layers, linear outputs. Numbers in,
numbers out; trained by benchmarks/training.
"""

import itertools
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Network:
    """`layers`: weights (inputs, outputs) and biases (outputs,), in order. `centre` and `scale`
    standardise the inputs.
    """

    centre: Array
    scale: Array
    layers: tuple[tuple[Array, Array], ...]

    def arrays(self) -> list[Array]:
        """All arrays of the network, always in the same order."""
        return [self.centre, self.scale, *(part for layer in self.layers for part in layer)]

    def outputs(self, inputs: NDArray[np.floating]) -> Array:
        """Log odds or scores, shape (n, outputs), from inputs of shape (n, inputs); inputs beyond 4
        spreads count as 4.
        """
        weights, biases = self.layers[-1]
        return np.asarray(self.features(inputs).astype(np.float64) @ weights + biases)

    def features(self, inputs: NDArray[np.floating]) -> NDArray[np.floating]:
        """The activations of the last hidden layer, shape (n, units), in the inputs' precision."""
        kind = inputs.dtype
        x = inputs - self.centre.astype(kind)
        x /= self.scale.astype(kind)
        np.clip(x, -4, 4, out=x)
        for weights, biases in self.layers[:-1]:
            x = x @ weights.astype(kind)
            x += biases.astype(kind)
            np.tanh(x, out=x)
        return x


def softmax(scores: Array) -> Array:
    """Probabilities along the last axis, which add up to 1, from scores of any size. Kept here and
    not taken from `scipy.special`, whose import costs a shell command 0.3 s. Any shape, the same as
    the scores'.
    """
    lifted = np.exp(scores - scores.max(axis=-1, keepdims=True))
    return np.asarray(lifted / lifted.sum(axis=-1, keepdims=True))


def pack(network: Network) -> bytes:
    """A network as bytes: a line with the sizes of its layers; then, little-endian, centre and
    scale as float32, and weights and biases as float16.
    """
    sizes = [network.centre.size, *(biases.size for _, biases in network.layers)]
    seen = np.concatenate([network.centre, network.scale]).astype("<f4").tobytes()
    learnt = (
        np.concatenate([part.ravel() for layer in network.layers for part in layer])
        .astype("<f2")
        .tobytes()
    )
    return "-".join(map(str, sizes)).encode() + b"\n" + seen + learnt


def unpack(data: bytes) -> Network:
    """Reverse of `pack`, but for what float16 leaves out."""
    shape, _, raw = data.partition(b"\n")
    sizes = [int(n) for n in shape.split(b"-")]
    seen = np.frombuffer(raw, dtype="<f4", count=2 * sizes[0]).astype(np.float64)
    learnt = np.frombuffer(raw, dtype="<f2", offset=seen.size * 4).astype(np.float64)
    parts = iter(
        np.split(
            learnt, np.cumsum([n for a, b in itertools.pairwise(sizes) for n in (a * b, b)])[:-1]
        )
    )
    layers = tuple((next(parts).reshape(a, b), next(parts)) for a, b in itertools.pairwise(sizes))
    return Network(seen[: sizes[0]], seen[sizes[0] :], layers)
