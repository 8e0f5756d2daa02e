"""The ear as one value: its networks, the columns they were trained on, what they were trained
with, and the limits at which what they say becomes a statement. Nothing of it is read from anywhere
else, so two ears can be compared, and one can be tried with another's network.
"""

import hashlib
import io
import json
import zipfile
from dataclasses import asdict, dataclass, field
from functools import cached_property
from typing import Any

import numpy as np

from thrumble.core.ear.model.network import Network, pack, unpack

NETWORKS = ("articulation", "depth", "onsets", "places", "sound", "strays", "strum")
HEADER = "header.json"
EPOCH = (1980, 1, 1, 0, 0, 0)  # of the packed files: the same ear gives the same bytes
NUMBER = "2.7"  # for people; the hash behind it is what tells two ears apart


@dataclass(frozen=True, slots=True, kw_only=True)
class Decisions:
    """Where the ear draws its lines. Odds are natural logarithms."""

    # onsets
    too_quiet_db: float = -36.0  # under the take's loud attacks; the softest dead hit lies at -25
    hopeless_log_odds: float = -8.0  # no place in the riff makes up for them
    # matching
    miss_log: float = float(np.log(0.02))  # of a due hit left out
    extra_per_s: float = 0.25  # onsets of no due hit, a second
    crowd_per_s: float = 3.0  # false candidates a second: what a match is weighed against
    crowding_log_odds: float = -3.0  # a free candidate above tells of something else that sounds
    # odds asked of an extra hit: so many for the square of such candidates a second, and for the
    # square believed of a take in which nothing else sounds
    crowd_to_extra_s2: float = 5.0
    least_crowd_per_s2: float = 0.05
    # and one more for so many dB that it is quieter than so far under the player's hits
    quiet_extra_db: float = 12.0
    db_to_log_odds: float = 6.0
    # placing
    lost_below: float = 0.5  # the hit began at none of the places if their chances add up to less
    # open, palm or dead
    plan_wrong: float = 0.3  # share of hits taken to be played unlike the plan
    example_weight: int = 12  # an example counts as much as so many hits of the take
    # pull of the generic weights, in hits: a few follow the take and its plan too far, 40 stay
    # generic
    hold_hits: float = 8.0
    # what is learnt from noisy labels is too modest: fitted so that of hits given 0.9 nine in ten
    # are right
    sharpen: float = 1.4
    unsure_below: float = 0.55
    # how far from the training's hits a take's middle hit may lie before it is called unfamiliar:
    # one in a hundred of takes like those lies farther
    familiar_to: float = 1.6
    # by how much the odds are taken back for every unit beyond: on sounds made strange on purpose
    # hits given 0.9 are then right as often as that
    doubt: float = 3.0
    # depth
    depth_trust: float = 0.7  # how far a take's palms are moved towards the depths written
    lightest_palm: float = 0.15
    least_palms: int = 4  # of known depth, to set the scale by them
    # strings
    strum_spread_ms: float = 2.4  # where the network's own spread is larger nothing is said
    right_chord_db: float = 1.0  # by how much the best comb must beat its rivals to be believed
    wrong_chord_db: float = 2.5
    stray_rang_log_odds: float = 1.0
    stray_silent_log_odds: float = -2.5  # between the two nothing is said


@dataclass(frozen=True, kw_only=True)
class Ear:
    """`layouts`: the columns each network was trained on, by the network's name, as `Layout.text`.
    `training`: what it was trained with, for people.
    """

    number: str
    onsets: Network
    places: Network
    sound: Network
    articulation: Network
    depth: Network
    strum: Network
    strays: Network
    layouts: tuple[tuple[str, str], ...]
    training: tuple[tuple[str, str], ...]
    decisions: Decisions = field(default_factory=Decisions)

    @property
    def networks(self) -> dict[str, Network]:
        """The networks by name."""
        return {name: getattr(self, name) for name in NETWORKS}

    @cached_property
    def version(self) -> str:
        """`2.4+0f3a9c12`: the number, and a hash of all that decides what this ear says: weights,
        columns, limits.
        """
        content = hashlib.sha256()
        for network in self.networks.values():
            for array in network.arrays():
                content.update(np.asarray(array, dtype="<f4").tobytes())
        header: dict[str, Any] = {"layouts": self.layouts, "decisions": asdict(self.decisions)}
        content.update(json.dumps(header, sort_keys=True).encode())
        return f"{self.number}+{content.hexdigest()[:8]}"


def pack_ear(ear: Ear) -> bytes:
    """A trained ear as a zip: its layouts and training in `header.json`, each network packed under
    its name. Number and decisions are not trained and not in it.
    """
    buffer = io.BytesIO()
    header = {"training": dict(ear.training), "layouts": dict(ear.layouts)}
    members = {HEADER: json.dumps(header, indent=1).encode()}
    members |= {name: pack(network) for name, network in ear.networks.items()}
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_STORED) as file:
        for name, data in members.items():
            file.writestr(zipfile.ZipInfo(name, EPOCH), data)
    return buffer.getvalue()


def unpack_ear(data: bytes) -> Ear:
    """Reverse of `pack_ear`, with this engine's number and decisions."""
    with zipfile.ZipFile(io.BytesIO(data)) as file:
        header = json.loads(file.read(HEADER))
        networks: dict[str, Any] = {name: unpack(file.read(name)) for name in NETWORKS}
    return Ear(
        number=NUMBER,
        layouts=tuple(header["layouts"].items()),
        training=tuple(header["training"].items()),
        **networks,
    )
