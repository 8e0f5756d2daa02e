"""The columns that a network sees, by name and in order: whoever fills them or reads one of them
names it, and nobody counts.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray


@dataclass(frozen=True)
class Layout:
    """`groups`: names, each with the number of columns it has, in order."""

    groups: tuple[tuple[str, int], ...]

    @cached_property
    def size(self) -> int:
        """The number of all columns."""
        return sum(width for _, width in self.groups)

    @cached_property
    def _places(self) -> dict[str, slice]:
        ends = np.cumsum([width for _, width in self.groups]).tolist()
        return {
            name: slice(end - width, end)
            for (name, width), end in zip(self.groups, ends, strict=True)
        }

    def columns(self, first: str, last: str | None = None) -> slice:
        """The columns of one group, or of all from one group to another. KeyError for a name that
        is not there.
        """
        return slice(self._places[first].start, self._places[last or first].stop)

    def column(self, name: str) -> int:
        """The one column of a group. ValueError if it has more."""
        place = self._places[name]
        if place.stop - place.start != 1:
            raise ValueError(f"{name} has {place.stop - place.start} columns")
        return int(place.start)

    def join(self, parts: Mapping[str, NDArray[np.floating]]) -> NDArray[np.floating]:
        """The groups side by side in their order, each of shape (n, its columns), as (n, size).
        ValueError if one is missing, too many or of another width.
        """
        widths = {name: part.shape[1] for name, part in parts.items()}
        if widths != dict(self.groups):
            raise ValueError(f"columns {widths} are not those of the layout {dict(self.groups)}")
        return np.concatenate([parts[name] for name, _ in self.groups], axis=1)

    @property
    def text(self) -> str:
        """The layout in one line, as it is kept beside the weights that were learnt with it."""
        return ", ".join(f"{name}: {width}" for name, width in self.groups)
