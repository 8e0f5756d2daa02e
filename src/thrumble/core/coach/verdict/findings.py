"""All findings, in the order they are looked for, and how a take's are chosen."""

from thrumble.core.coach.verdict import articulation, hits, strings, tempo, timing, whole_take
from thrumble.core.coach.verdict.finding import Finding, Review
from thrumble.core.coach.verdict.judgement import Judgement

MAX_FINDINGS = 4

FINDINGS: tuple[type[Finding], ...] = (
    *whole_take.FINDINGS,
    *tempo.FINDINGS,
    *timing.FINDINGS,
    *hits.FINDINGS,
    *articulation.FINDINGS,
    *strings.FINDINGS,
)
LABELS = {finding.kind: finding.label for finding in FINDINGS if finding.is_cause}


def find_findings(judgement: Judgement) -> list[Finding]:
    """The findings of a take, most costly first, four at most; wrong hits that none of them names
    come last. Without any, one that says how clean the take is.
    """
    review = Review(judgement)
    findings: list[Finding] = []
    for kind in FINDINGS:
        finding = kind.find(review)
        if finding is None:
            continue
        if finding.stands_alone:
            return [finding]
        findings.append(finding)

    chosen = [finding for finding in findings if not finding.is_suppressed(findings)]
    worst = sorted(chosen, key=lambda finding: -finding.cost)[:MAX_FINDINGS]
    review.named = [finding.beside(worst) for finding in worst]
    closing = [kind.find(review) for kind in whole_take.CLOSING]
    last = [finding for finding in closing if finding is not None]
    return [*review.named, *last][:MAX_FINDINGS]
