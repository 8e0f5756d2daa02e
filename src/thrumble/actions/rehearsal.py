"""A riff to listen to before it is played: by the simulated guitarist, steady and in time."""

from dataclasses import dataclass

from thrumble.core.errors import BadInput
from thrumble.core.player.flaws import Flaws
from thrumble.core.player.perform import perform
from thrumble.core.player.sound import Tone
from thrumble.core.riff.excerpt import take_bars
from thrumble.core.riff.expand import expand
from thrumble.core.riff.model import Riff
from thrumble.formats.audio import write_wav16

RATE_HZ = 24_000  # a guitar's amplifier gives nothing above 6 kHz; half the time of 48 kHz
LEAD_S = 0.05
MOST_S = 90.0
STEADY = Flaws(timing=1.5, level=0.4)
CLICK_DB = -9.0
SEED = 4  # the same guitar every time


@dataclass(frozen=True, slots=True)
class Rehearsal:
    """Sound as WAV, 16 bit, and where in it one round begins and ends, seconds: it may go round and
    round between the two.
    """

    wav: bytes
    begin_s: float
    end_s: float


def rehearse(
    riff: Riff, *, tone: Tone, tempo_bpm: float | None, click: bool, bars: tuple[int, int] | None
) -> Rehearsal:
    """The riff, or some of its bars, as it should sound. Raises BadTempo, BadInput for bars that
    are not there and for more than a minute and a half.
    """
    chosen = take_bars(riff, *bars) if bars else riff
    expanded = expand(chosen, tempo_bpm)
    if expanded.round_s - expanded.begin_s > MOST_S:
        raise BadInput(
            f"that is {expanded.round_s - expanded.begin_s:.0f} s of sound: choose bars of "
            f"{MOST_S:.0f} s at most"
        )
    take = perform(
        chosen,
        tempo_bpm=tempo_bpm,
        seed=SEED,
        tone=tone,
        flaws=STEADY,
        rate_hz=RATE_HZ,
        lead_s=LEAD_S,
        click_db=CLICK_DB if click else None,
    )
    begin_s = LEAD_S
    end_s = take.start_s + expanded.round_s
    return Rehearsal(write_wav16(take.samples, take.rate_hz), begin_s, end_s)
