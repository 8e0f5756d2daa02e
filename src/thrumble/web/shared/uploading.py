"""What a page needs to take in a recording made elsewhere, as a take of its riff."""

from dataclasses import dataclass
from uuid import uuid4

from sqlmodel import Session

from thrumble.store.riffs.riffs import Revision
from thrumble.store.rig import rigs
from thrumble.store.rig.rigs import Rig, ToneProfile


@dataclass(frozen=True, slots=True)
class ToneChoice:
    """A tone to play with, under its rig's name."""

    tone_id: int
    words: str


@dataclass(frozen=True, slots=True)
class UploadView:
    """The riff whose take it will be; `tempo`: what is assumed if nothing is said; `key`: new
    for every form, so that a file sent twice from it is one take.
    """

    riff_id: int
    title: str
    tempo: str
    key: str
    tones: list[ToneChoice]


def upload_view(session: Session, player_id: int, revision: Revision) -> UploadView:
    """The upload of a take of a riff."""
    return UploadView(
        revision.riff_id,
        revision.riff.title,
        f"{float(revision.riff.tempo_bpm):g}",
        uuid4().hex,
        rig_tones(rigs.rigs_of(session, player_id), rigs.tones_of(session, player_id)),
    )


def rig_tones(all_rigs: list[Rig], tones: list[ToneProfile]) -> list[ToneChoice]:
    """All tones of the player; each with its rig's name if there are several rigs."""
    names = {rig.id: rig.name for rig in all_rigs}
    return [
        ToneChoice(
            tone.id, f"{names[tone.rig_id]}: {tone.name}" if len(all_rigs) > 1 else tone.name
        )
        for tone in tones
    ]
