"""A small feed-forward network: standardised inputs, tanh layers, linear outputs. Numbers in, numbers out; trained by benchmarks/train.py."""

import base64
import itertools
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Network:
    """`layers`: weights (inputs, outputs) and biases (outputs,), in order. `centre` and `scale` standardise the inputs."""

    centre: Array
    scale: Array
    layers: tuple[tuple[Array, Array], ...]

    def outputs(self, inputs: NDArray[np.floating]) -> Array:
        """Log odds or scores, shape (n, outputs), from inputs of shape (n, inputs); inputs beyond 4 spreads count as 4."""
        weights, biases = self.layers[-1]
        return np.asarray(self.features(inputs) @ weights + biases)

    def features(self, inputs: NDArray[np.floating]) -> Array:
        """What the last layer sees, shape (n, its inputs)."""
        x = np.clip((inputs - self.centre) / self.scale, -4, 4)
        for weights, biases in self.layers[:-1]:
            x = np.tanh(x @ weights + biases)
        return x


def pack(network: Network) -> str:
    """A network as text: its shape, then all numbers as little-endian float32 in base64."""
    sizes = [network.centre.size, *(biases.size for _, biases in network.layers)]
    numbers = [network.centre, network.scale, *(part.ravel() for layer in network.layers for part in layer)]
    data = np.concatenate(numbers).astype("<f4").tobytes()
    return "-".join(map(str, sizes)) + ":" + base64.b64encode(data).decode()


def unpack(text: str) -> Network:
    """Reverse of `pack`."""
    shape, _, data = text.partition(":")
    sizes = [int(n) for n in shape.split("-")]
    numbers = np.frombuffer(base64.b64decode(data), dtype="<f4").astype(np.float64)
    parts = iter(np.split(numbers, np.cumsum([sizes[0], sizes[0], *(n for a, b in itertools.pairwise(sizes) for n in (a * b, b))])[:-1]))
    centre, scale = next(parts), next(parts)
    layers = tuple((next(parts).reshape(a, b), next(parts)) for a, b in itertools.pairwise(sizes))
    return Network(centre, scale, layers)
