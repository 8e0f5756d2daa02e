"""The cheapest way through stages of grips: exact, by dynamic programming."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from thrumble.core.instrument import Instrument
from thrumble.core.neck.grips import Grip
from thrumble.core.neck.hand import OPEN, THUMB
from thrumble.core.neck.weights import Weights

Array = NDArray[np.float64]
LITTLE = 4
OTHER_SHAPE = 0.036  # of the cost of other fingers, where the shape is another one anyway


@dataclass(frozen=True, slots=True)
class Stage:
    """Grips of which one is chosen. `time_s`: for the move that leads here; `beside`: strings that
    open hits before, between and after are struck on; `follows`: the pick comes straight from the
    stage before.
    """

    grips: tuple[Grip, ...]
    time_s: float
    beside: tuple[int, ...]
    follows: bool


@dataclass(frozen=True, slots=True)
class _Facts:
    """The quantities from which the costs of a stage's grips are computed, one row a grip."""

    hand_mm: Array
    string: Array
    fingers: NDArray[np.intp]
    shape: NDArray[np.intp]
    kind: NDArray[np.intp]
    form: NDArray[np.intp]
    layout: NDArray[np.intp]
    node: Array


class ShortestPath:
    """A search over stages. Ways are lists of the grips' numbers, one a stage."""

    def __init__(
        self, stages: list[Stage], instrument: Instrument, reach_mm: float, weights: Weights
    ) -> None:
        self._stages = stages
        self._weights = weights
        self._names: dict[object, int] = {}
        cache: dict[int, _Facts] = {}
        for stage in stages:
            if id(stage.grips) not in cache:
                cache[id(stage.grips)] = self._facts(stage.grips, instrument, reach_mm)
        self._of = [cache[id(stage.grips)] for stage in stages]
        self._nodes = [
            facts.node + self._picked(stage.beside, facts)
            for stage, facts in zip(stages, self._of, strict=True)
        ]
        pairs: dict[tuple[int, int, float, bool], Array] = {}
        self._edges: list[Array] = []
        for k in range(1, len(stages)):
            stage = stages[k]
            key = (id(self._of[k - 1]), id(self._of[k]), stage.time_s, stage.follows)
            if key not in pairs:
                pairs[key] = self._edge(self._of[k - 1], self._of[k], stage)
            self._edges.append(pairs[key])

    def best(
        self,
        *,
        avoiding: list[list[int]] | None = None,
        penalty: float = 0.0,
        by_place: bool = True,
        within: list[NDArray[np.bool_]] | None = None,
    ) -> list[int]:
        """The way that costs least; `within`: of these grips only, a mask for each stage. With
        `avoiding`, what those ways take costs a penalty more: at
        the same place on the neck, or, not `by_place`, with the same fingers there too.
        """
        if not self._stages:
            return []
        nodes = self._nodes
        if avoiding:
            nodes = [
                node + penalty * self._taken(k, avoiding, by_place=by_place)
                for k, node in enumerate(nodes)
            ]
        if within is not None:
            nodes = [np.where(mask, node, np.inf) for mask, node in zip(within, nodes, strict=True)]
        best, back = nodes[0], []
        for k, edges in enumerate(self._edges, 1):
            whole = best[:, None] + edges
            from_state = np.argmin(whole, axis=0)
            back.append(from_state)
            best = whole[from_state, np.arange(from_state.size)] + nodes[k]
        at = int(np.argmin(best))
        way = [at]
        for from_state in reversed(back):
            at = int(from_state[at])
            way.append(at)
        way.reverse()
        return way

    @property
    def places_differ(self) -> bool:
        """Whether there is any stage that can be taken at more than one place."""
        return any(np.unique(facts.layout).size > 1 for facts in self._of)

    def cost(self, way: list[int]) -> float:
        """The total cost of a route, in points."""
        total = sum(float(node[at]) for node, at in zip(self._nodes, way, strict=True))
        total += sum(float(edges[way[k], way[k + 1]]) for k, edges in enumerate(self._edges))
        return round(total, 6)

    def grips(self, way: list[int]) -> list[Grip]:
        """The grips of a way."""
        return [stage.grips[at] for stage, at in zip(self._stages, way, strict=True)]

    def apart(self, path: list[int], other: list[int], *, by_place: bool) -> float:
        """The share of stages that two ways take elsewhere, or, not `by_place`, otherwise."""
        if not path:
            return 0.0
        differ = sum(
            self._otherwise(facts, a, b, by_place=by_place)
            for facts, a, b in zip(self._of, path, other, strict=True)
        )
        return differ / len(path)

    @staticmethod
    def _otherwise(facts: _Facts, a: int, b: int, *, by_place: bool) -> bool:
        elsewhere = bool(facts.layout[a] != facts.layout[b])
        return elsewhere or (not by_place and bool(facts.fingers[a] != facts.fingers[b]))

    def _taken(self, k: int, ways: list[list[int]], *, by_place: bool) -> Array:
        facts = self._of[k]
        same = np.zeros(facts.layout.size)
        for way in ways:
            hit = facts.layout == facts.layout[way[k]]
            if not by_place:
                hit = hit & (facts.fingers == facts.fingers[way[k]])
            same += hit
        return same

    def _number(self, of: object) -> int:
        return self._names.setdefault(of, len(self._names))

    def _facts(self, grips: tuple[Grip, ...], instrument: Instrument, reach_mm: float) -> _Facts:
        return _Facts(
            np.array([instrument.fret_mm(grip.hand or 0) for grip in grips]),
            np.array([grip.notes[0].string for grip in grips], dtype=float),
            np.array([self._number(grip.fingers) for grip in grips]),
            np.array([self._number(_shape(grip)) for grip in grips]),
            np.array([self._number(_kind(grip, instrument)) for grip in grips]),
            np.array([self._number(_form(grip)) for grip in grips]),
            np.array([self._number(grip.layout) for grip in grips]),
            np.array([self._node(grip, reach_mm) for grip in grips]),
        )

    def _node(self, grip: Grip, reach_mm: float) -> float:
        """The cost of each grip by itself, without the move to it."""
        w = self._weights
        pressed = len(grip.fingers)
        used = 1 - grip.comfort(reach_mm) if pressed > 1 else 0.0
        return (
            w.spread * used**3
            + w.unguarded * grip.unguarded
            + w.skipped * grip.skipped
            + w.odd * grip.odd
            + w.high * (grip.hand or 0)
            + w.little * (LITTLE in grip.fingers)
            + w.thumb * (THUMB in grip.fingers)
            + w.open_strings * sum(note.finger != OPEN for note in grip.notes)
        )

    def _picked(self, beside: tuple[int, ...], facts: _Facts) -> Array:
        """The strings that the pick jumps over to and from open hits beside a stop."""
        jumps = np.zeros(facts.string.size)
        for string in beside:
            jumps += np.maximum(0.0, np.abs(facts.string - string) - 1)
        return self._weights.pick * jumps

    def _edge(self, before: _Facts, after: _Facts, stage: Stage) -> Array:
        """What the move from each grip to each other one costs. Shape (before, after)."""
        w = self._weights
        mm = np.abs(before.hand_mm[:, None] - after.hand_mm[None, :])
        across = np.abs(before.string[:, None] - after.string[None, :])
        same_shape = before.shape[:, None] == after.shape[None, :]
        changed = before.fingers[:, None] != after.fingers[None, :]
        changed = changed * np.where(same_shape, 1.0, OTHER_SHAPE)
        hurry = (mm / stage.time_s / w.quick_mm_s) ** 2
        same_kind = before.kind[:, None] == after.kind[None, :]
        reformed = same_kind & (before.form[:, None] != after.form[None, :])
        whole = w.travel * mm + w.hurry * hurry + w.strings * across + w.fingers * changed
        whole = whole + w.form * reformed
        if stage.follows:
            whole = whole + w.pick * np.maximum(0.0, across - 1)
        return np.asarray(whole, dtype=float)


def _shape(grip: Grip) -> object:
    """What must have the same fingers to be the same thing to a player: the pressed frets as they
    lie to each other. A single note is no shape: each is its own.
    """
    pressed = [note for note in grip.notes if note.finger != OPEN]
    if len(pressed) < 2:
        return grip
    low = pressed[0]
    return tuple((low.string - note.string, note.fret - low.fret) for note in pressed)


def _kind(grip: Grip, instrument: Instrument) -> object:
    """The chord's intervals; a single note is a kind of its own."""
    pitches = [instrument.open_midi(note.string) + note.fret for note in grip.notes]
    if len(pitches) < 2:
        return grip
    return "kind", tuple(pitch - pitches[0] for pitch in pitches)


def _form(grip: Grip) -> object:
    """How a chord lies: its strings beside each other, and which of them are open."""
    low = grip.notes[0].string
    return "form", tuple((low - note.string, note.finger == OPEN) for note in grip.notes)
