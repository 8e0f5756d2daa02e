"""The players of this machine in words."""

from dataclasses import dataclass

from thrumble.store.players.players import Player


@dataclass(frozen=True, slots=True)
class PlayerLine:
    """A player in the list. `here`: whose data this browser shows; `last`: the last visit."""

    id: int
    name: str
    is_sample: bool
    here: bool
    last: str


@dataclass(frozen=True, slots=True)
class PlayersView:
    """The page. `importable`: the players that an import can be added to."""

    lines: list[PlayerLine]
    importable: list[PlayerLine]
    has_sample: bool


def players_view(everybody: list[Player], here: int) -> PlayersView:
    """The one whose data is shown comes first."""
    lines = [
        PlayerLine(
            id=player.id,
            name=player.name,
            is_sample=player.is_sample,
            here=player.id == here,
            last="" if player.used_at is None else f"{player.used_at:%-d %B %Y}",
        )
        for player in everybody
    ]
    lines.sort(key=lambda line: not line.here)
    importable = [line for line in lines if not line.is_sample]
    return PlayersView(lines, importable, len(importable) < len(lines))
