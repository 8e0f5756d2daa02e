"""A reading as a label track: a line a hit, start and end in seconds and a text, by tabs, as audio
editors open it.
"""

from thrumble.core.coach.verdict.finding import early_or_late
from thrumble.core.coach.verdict.judgement import JudgedHit, Judgement

SHORTEST_S = 0.02


def label_track(judgement: Judgement) -> str:
    """Every hit that was heard, from its onset as long as it rang; a missing one,
    where it was due; extra hits by themselves.
    """
    rows = [_row(judged) for judged in judgement.hits if judged.played or judged.missed]
    rows += [
        (extra.onset_s, extra.onset_s + SHORTEST_S, "extra hit")
        for extra in judgement.reading.extra_onsets
    ]
    return "".join(f"{start:.6f}\t{end:.6f}\t{text}\n" for start, end, text in sorted(rows))


def _row(judged_hit: JudgedHit) -> tuple[float, float, str]:
    hit = judged_hit.hit
    place = f"bar {hit.bar}, {hit.at}" + (f", pass {hit.round}" if hit.round > 1 else "")
    if hit.onset_s is None or judged_hit.late_ms is None:
        return hit.expected_s, hit.expected_s + SHORTEST_S, f"{place}: missed"
    articulation = "unsure" if hit.heard_articulation is None else hit.heard_articulation.value
    end = hit.onset_s + max(SHORTEST_S, hit.ring_s or 0.0)
    return hit.onset_s, end, f"{place}: {articulation}, {early_or_late(judged_hit.late_ms)}"
