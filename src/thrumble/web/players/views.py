"""The players of this machine in words."""

from collections.abc import Set
from dataclasses import dataclass

from thrumble.store.players.players import Player


@dataclass(frozen=True, slots=True)
class PlayerLine:
    """A player in the list. `here`: whose data this browser shows; `last`: the last visit;
    `asks`: what has to be typed to play as them; `key`: the digit that chooses them.
    """

    id: int
    name: str
    is_sample: bool
    here: bool
    last: str
    asks: str
    has_pin: bool
    has_account: bool
    key: str


@dataclass(frozen=True, slots=True)
class PlayersView:
    """The page. `importable`: the players that an import can be added to."""

    lines: list[PlayerLine]
    importable: list[PlayerLine]
    has_sample: bool


def _asks(player: Player) -> str:
    return "Password" if player.pin is None else "PIN"


def players_view(
    everybody: list[Player],
    here: int | None,
    *,
    with_pin: Set[int],
    with_account: Set[int],
) -> PlayersView:
    """The one whose data is shown comes first. `with_pin`: those who aren't open to everyone
    here; `with_account`: those who sign in over the network.
    """
    sorted_players = sorted(everybody, key=lambda player: player.id != here)
    digits = iter("123456789")
    lines = [
        PlayerLine(
            id=player.id,
            name=player.name,
            is_sample=player.is_sample,
            here=player.id == here,
            last="" if player.used_at is None else f"{player.used_at:%-d %B %Y}",
            asks=_asks(player) if player.id in with_pin else "",
            has_pin=player.pin is not None,
            has_account=player.id in with_account,
            key="" if player.id == here else next(digits, ""),
        )
        for player in sorted_players
    ]
    importable = [line for line in lines if not line.is_sample]
    return PlayersView(lines, importable, len(importable) < len(lines))
