"""A fair trial in words: what differs in this player's hands, how surely, what is still open."""

from dataclasses import dataclass

from thrumble.actions.trials import Tried
from thrumble.core.coach.comparing.trial import Outcome
from thrumble.core.counting import counted
from thrumble.store.practice.trials import Trial

OFFERED = (
    ("fingers 1 and 3", "fingers 1 and 4"),
    ("aim at the strings exactly", "damp the rest and sweep through"),
    ("palm at the bridge", "palm a little forward, digging in harder"),
    ("thumb planted behind the neck", "thumb off the neck"),
)


@dataclass(frozen=True, slots=True)
class OutcomeRow:
    """A figure of a trial."""

    name: str
    a: str
    b: str
    difference: str
    interval: str
    verdict: str
    css: str


@dataclass(frozen=True, slots=True, kw_only=True)
class TrialView:
    """The page of a trial."""

    trial_id: int
    riff_id: int
    title: str
    way_a: str
    way_b: str
    meta: str
    first: str
    more: list[str]
    rows: list[OutcomeRow]
    open: bool
    tempo: str
    takes_a: str
    takes_b: str


def trial_view(tried: Tried, title: str) -> TrialView:
    """What a trial says by now."""
    trial = tried.trial
    played, planned = len(trial.takes), len(trial.turns)
    sentences = [_sentence(outcome, trial) for outcome in tried.outcomes if outcome.clear]
    if tried.why:
        sentences = [f"{tried.why[0].upper()}{tried.why[1:]}."]
    elif not sentences:
        sentences = ["We can't tell these two apart in your playing yet."]
    sentences += _open_words(tried.outcomes)
    if tried.left_out:
        sentences.append(
            f"We left out {counted(tried.left_out, 'take')}: another riff, a damaged recording, or "
            "nothing at all."
        )
    by_way: dict[str, list[str]] = {"A": [], "B": []}
    for turn, take_id in sorted(trial.takes.items()):
        by_way[trial.turns[turn]].append(str(take_id))
    return TrialView(
        trial_id=trial.id,
        riff_id=trial.riff_id,
        title=title,
        way_a=trial.way_a,
        way_b=trial.way_b,
        meta=f"{title} at {trial.tempo_bpm:g} bpm · {played} of {counted(planned, 'turn')} played",
        first=sentences[0],
        more=sentences[1:],
        rows=[_row(outcome, trial) for outcome in tried.outcomes],
        open=trial.next_turn is not None,
        tempo=f"{trial.tempo_bpm:g}",
        takes_a=",".join(by_way["A"][:12]),
        takes_b=",".join(by_way["B"][:12]),
    )


def _sentence(outcome: Outcome, trial: Trial) -> str:
    unit = f" {outcome.metric.unit}" if outcome.metric.unit else ""
    low, high = sorted(abs(end) for end in outcome.interval)
    digits = outcome.metric.digits
    way = "less" if outcome.value < 0 else "more"
    name = f"{outcome.metric.words[0].upper()}{outcome.metric.words[1:]}"
    sentence = (
        f"{name}: {abs(outcome.value):.{digits}f}{unit} {way} with “{trial.way_b}” than with "
        f"“{trial.way_a}” ({low:.{digits}f} to {high:.{digits}f})"
    )
    if not outcome.better:
        return f"{sentence}."
    return (
        f"{sentence}. “{trial.way_b if outcome.better == 'B' else trial.way_a}” is better at that."
    )


def _open_words(outcomes: list[Outcome]) -> list[str]:
    """What the trial has ruled out, and how many more pairs would settle the rest."""
    out = []
    settled = [outcome.metric.words for outcome in outcomes if outcome.settled]
    if settled:
        out.append(f"No difference to speak of in {', '.join(settled)}.")
    more = [outcome for outcome in outcomes if outcome.more_pairs]
    if more:
        nearest = min(more, key=lambda outcome: outcome.more_pairs or 0)
        out.append(
            f"Still open: {', '.join(outcome.metric.words for outcome in more)}. About "
            f"{counted(nearest.more_pairs or 0, 'pair')} more would settle "
            f"{nearest.metric.words}."
        )
    return out


def _row(outcome: Outcome, trial: Trial) -> OutcomeRow:
    digits, unit = outcome.metric.digits, f" {outcome.metric.unit}" if outcome.metric.unit else ""
    low, high = outcome.interval
    verdict = "can't tell yet"
    if outcome.clear:
        verdict = {"A": trial.way_a, "B": trial.way_b, "": "differs"}[outcome.better]
    elif outcome.settled:
        verdict = "no difference to speak of"
    return OutcomeRow(
        name=outcome.metric.words,
        a=f"{outcome.a:.{digits}f}{unit}",
        b=f"{outcome.b:.{digits}f}{unit}",
        difference=f"{outcome.value:+.{digits}f}{unit}",
        interval=f"{low:+.{digits}f} to {high:+.{digits}f}",
        verdict=verdict,
        css="clear" if outcome.clear else "",
    )


@dataclass(frozen=True, slots=True)
class TrialLine:
    """A trial in the list."""

    trial_id: int
    ways: str
    meta: str


def trial_lines(trials: list[Trial], titles: dict[int, str]) -> list[TrialLine]:
    """All trials, each in a line."""
    return [
        TrialLine(
            trial.id,
            f"{trial.way_a} or {trial.way_b}",
            f"{titles.get(trial.riff_id, '')}, {len(trial.takes)} of "
            f"{counted(len(trial.turns), 'turn')} played",
        )
        for trial in trials
    ]
