"""Fits the ear's small networks: full-batch L-BFGS on cross-entropy with weight decay. Deterministic for a seed."""

import itertools

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import minimize

from thrumble.core.ear.network import Array, Network


def fit_network(
    inputs: Array,
    classes: NDArray[np.int_],
    *,
    hidden: tuple[int, ...],
    outputs: int,
    decay: float,
    weights: Array | None = None,
    seed: int = 0,
) -> Network:
    """A network whose outputs are log odds (one output, classes 0 and 1) or softmax scores (several), from examples (n, inputs)."""
    centre, scale = inputs.mean(axis=0), inputs.std(axis=0) + 1e-6
    x = np.clip((inputs - centre) / scale, -4, 4)
    share = np.ones(len(x)) if weights is None else weights
    share = share / share.sum()
    sizes = [x.shape[1], *hidden, outputs]
    shapes = [(a, b) for a, b in itertools.pairwise(sizes)]
    rng = np.random.default_rng(seed)
    start = np.concatenate([np.concatenate([(rng.standard_normal(s) / np.sqrt(s[0])).ravel(), np.zeros(s[1])]) for s in shapes])

    def loss(flat: Array) -> tuple[float, Array]:
        layers = _layers(flat, shapes)
        kept = [x]
        for k, (w, b) in enumerate(layers):
            z = kept[-1] @ w + b
            kept.append(np.tanh(z) if k + 1 < len(layers) else z)
        value, grad = _cross_entropy(kept[-1], classes, share)
        gradients = []
        for k in range(len(layers) - 1, -1, -1):
            w = layers[k][0]
            gradients.append(np.concatenate([(kept[k].T @ grad + decay * w).ravel(), grad.sum(axis=0)]))
            value += 0.5 * decay * float((w**2).sum())
            if k:
                grad = (grad @ w.T) * (1 - kept[k] ** 2)
        return value, np.concatenate(gradients[::-1])

    best = minimize(loss, start, jac=True, method="L-BFGS-B", options={"maxiter": 600})
    return Network(centre, scale, tuple(_layers(best.x, shapes)))


def _layers(flat: Array, shapes: list[tuple[int, int]]) -> list[tuple[Array, Array]]:
    layers, at = [], 0
    for a, b in shapes:
        layers.append((flat[at : at + a * b].reshape(a, b), flat[at + a * b : at + a * b + b]))
        at += a * b + b
    return layers


def _cross_entropy(scores: Array, classes: NDArray[np.int_], share: Array) -> tuple[float, Array]:
    if scores.shape[1] == 1:
        z = scores[:, 0]
        value = float((share * (np.logaddexp(0, z) - classes * z)).sum())
        return value, (share * (1 / (1 + np.exp(-z)) - classes))[:, np.newaxis]
    shifted = scores - scores.max(axis=1, keepdims=True)
    log_p = shifted - np.log(np.exp(shifted).sum(axis=1, keepdims=True))
    value = -float((share * log_p[np.arange(len(classes)), classes]).sum())
    grad = np.exp(log_p)
    grad[np.arange(len(classes)), classes] -= 1
    return value, grad * share[:, np.newaxis]
