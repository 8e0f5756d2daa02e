"""Verbs on sound checks: begin one, count one, keep its hits as examples, write it out whole."""

import json
import tempfile
import zipfile
from pathlib import Path
from typing import IO

import numpy as np
from sqlmodel import Session

from thrumble.actions.rigs import CHECKED, KINDS, cut_from, keep_example, profile_from
from thrumble.actions.sound import fetch
from thrumble.actions.takes import info_of
from thrumble.core.counting import counted
from thrumble.core.ear.take import read_recording
from thrumble.core.errors import BadAudio, NotAllowed, NotFound
from thrumble.core.riff.expand import expand
from thrumble.core.riff.notation.printing import print_riff
from thrumble.core.sound_check.score import CheckHit, missing_hits, score_hits
from thrumble.core.sound_check.script import sound_check, with_decoys
from thrumble.core.takes import TakeState
from thrumble.formats.audio import read_audio
from thrumble.formats.labelled_json import LabelledJson
from thrumble.formats.riff_json import riff_document
from thrumble.store.practice import sound_checks
from thrumble.store.practice.sound_checks import SoundCheck
from thrumble.store.riffs import riffs
from thrumble.store.rig import rigs
from thrumble.store.takes import readings, takes
from thrumble.trained import EAR

EXAMPLES_EACH = 4  # of every kind, spread over the take
SHORTEST_S = 0.2  # of sound to the next hit: less is no example


def begin_check(session: Session, player_id: int) -> int:
    """The riff of a sound check in the player's own tuning; its number."""
    riff = sound_check(rigs.own_instrument(session, player_id).tuning)
    return sound_checks.keep_check_riff(session, player_id, riff, print_riff(riff))


def count_check(session: Session, player_id: int, take_id: int) -> SoundCheck:
    """Analyses a sound check's take again with the wrong articulation written for some of its
    hits, and stores how many were recognised all the same. Raises NotFound for any other take,
    NotAllowed if it isn't analysed yet, has no audio, or too many of its hits weren't played.
    """
    take = takes.get_take(session, player_id, take_id)
    if not sound_checks.is_check(session, player_id, take.riff_id):
        raise NotFound("this take isn't a sound check: play one first (Rig, How sure is it?)")
    if take.state is not TakeState.READ:
        raise NotAllowed("this take isn't analysed yet: wait a moment, then score it")
    if not take.has_audio:
        raise NotAllowed("this take has no sound any more: play the sound check again")
    riff = riffs.get_revision(session, player_id, take.revision_id).riff
    script, decoys = (expand(source, take.tempo_bpm) for source in (riff, with_decoys(riff)))
    examples = [] if take.tone_id is None else rigs.example_sounds(session, player_id, take.tone_id)
    others = [
        example for example in examples if example[1] != CHECKED
    ]  # its own hits would tell it the answers
    with tempfile.TemporaryDirectory(prefix="thrumble-") as folder:
        path = Path(folder) / "take"
        fetch(session, player_id, take_id, path)
        reading = read_recording(
            read_audio(path),
            decoys,
            info_of(take, decoys, profile_from(others)),
            ear=EAR,
        )
    hits = score_hits(script, decoys, reading)
    if (lost := missing_hits(hits)) is not None:
        which = f"{lost} of {counted(len(hits), 'hit')}" if hits else "a single hit"
        raise NotAllowed(
            f"we don't find {which} where you were asked to play, so this would be no fair count: "
            "play the sound check again, from bar 1 right after the count-in"
        )
    sound_checks.put_check(
        session, player_id, take_id, tone_id=take.tone_id, engine=EAR.version, hits=hits
    )
    return sound_checks.get_check(session, player_id, take_id)


def keep_hits(session: Session, player_id: int, take_id: int) -> int:
    """Keeps hits of a counted sound check as examples of its tone, some of every kind, none that
    was struck out; those of an earlier time are replaced. How many. Raises NotFound, NotAllowed
    if the take has no tone.
    """
    proof = sound_checks.get_check(session, player_id, take_id)
    if proof.tone_id is None:
        raise NotAllowed("this take was played without a tone chosen: choose one and play again")
    sound_checks.put_examples(session, player_id, take_id, [])
    chosen = _chosen(proof)
    with tempfile.TemporaryDirectory(prefix="thrumble-") as folder:
        path = Path(folder) / "take"
        fetch(session, player_id, take_id, path)
        pieces, rate_hz = cut_from(path, [(at, after) for _, at, after in chosen])
    examples = []
    for (kind, _, _), samples in zip(chosen, pieces, strict=True):
        try:
            example = keep_example(
                session,
                player_id,
                proof.tone_id,
                kind=kind,
                samples=samples,
                rate_hz=rate_hz,
                origin=CHECKED,
            )
        except BadAudio:
            continue  # nothing is heard in it alone
        examples.append(example.id)
    sound_checks.put_examples(session, player_id, take_id, examples)
    return len(examples)


def _chosen(proof: SoundCheck) -> list[tuple[str, float, float]]:
    """Hits to save as examples, EXAMPLES_EACH of every articulation, spread over the take:
    articulation, onset and the next hit's onset, in seconds.
    """
    detected = [(hit, hit.onset_s) for hit in proof.hits if hit.onset_s is not None]
    nexts = [*(at for _, at in detected[1:]), np.inf]
    onsets: dict[str, list[tuple[float, float]]] = {kind: [] for kind in KINDS}
    for (hit, at), after in zip(detected, nexts, strict=True):
        if after - at >= SHORTEST_S and hit.index not in proof.struck:
            onsets[kind_of(hit)].append((at, after))
    chosen = []
    for kind, spans in onsets.items():
        count = min(EXAMPLES_EACH, len(spans))
        places = np.linspace(0, max(0, len(spans) - 1), count).round().astype(int)
        chosen += [(kind, *spans[k]) for k in places]
    return chosen


def kind_of(hit: CheckHit) -> str:
    """What a hit was asked to be, as examples name it."""
    if hit.asked != "palm":
        return hit.asked
    depths = {name: depth for name, (_, depth) in KINDS.items() if depth is not None}
    wanted = 0.6 if hit.depth is None else hit.depth
    return min(depths, key=lambda name: abs(depths[name] - wanted))


def write_labelled(session: Session, player_id: int, take_id: int, out: IO[bytes]) -> None:
    """The sound check as one file for whoever works on an ear: the sound as it was recorded, the
    riff as asked, and every hit as asked, as the ear was told it and as it was heard. Raises
    NotFound, NotAllowed if the sound is gone.
    """
    proof = sound_checks.get_check(session, player_id, take_id)
    take = takes.get_take(session, player_id, take_id)
    if not take.has_audio:
        raise NotAllowed("this take has no sound any more: there is nothing to hand on")
    riff = riffs.get_revision(session, player_id, take.revision_id).riff
    reading = readings.get_reading(session, player_id, take_id)
    tone = None if proof.tone_id is None else rigs.find_tone(session, player_id, proof.tone_id)
    labels = LabelledJson.checked(
        {
            "format": "thrumble.labelled/1",
            "riff": "take.riff.json",
            "audio": "take.flac",
            "engine": proof.engine,
            "tempo_bpm": float(take.tempo_bpm or riff.tempo_bpm),
            "start_s": None if reading is None else reading.start_s,
            "sound": None if tone is None else tone.sound,
            "hits": [
                {
                    "index": hit.index,
                    "asked": hit.asked,
                    "depth": hit.depth,
                    "told": hit.told,
                    "heard": hit.heard,
                    "chance": hit.chance,
                    "heard_onset_s": hit.onset_s,
                    "played_as_asked": hit.index not in proof.struck,
                }
                for hit in proof.hits
            ],
        }
    )
    with tempfile.TemporaryDirectory(prefix="thrumble-") as folder:
        path = Path(folder) / "take"
        fetch(session, player_id, take_id, path)
        with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as whole:
            whole.write(path, "take.flac")
            whole.writestr("take.riff.json", json.dumps(riff_document(riff)))
            whole.writestr("take.labels.json", json.dumps(labels, indent=1))
