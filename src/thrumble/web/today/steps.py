"""A newcomer's first steps in words."""

from collections.abc import Callable
from dataclasses import dataclass

from thrumble.actions.starting import FirstSteps, Step

Path = Callable[..., object]


@dataclass(frozen=True, slots=True)
class StepLine:
    """One step. `next`: the one to do now; `renames`: it is done right here."""

    title: str
    why: str
    action: str
    href: str
    done: bool
    next: bool
    renames: bool


@dataclass(frozen=True, slots=True)
class StepsView:
    """All steps, and how many are done. `has_plan`: there is something to plan for."""

    words: str
    has_plan: bool
    lines: list[StepLine]


def steps_view(steps: FirstSteps, path: Path) -> StepsView | None:
    """The steps as long as one is left; None after that. `path`: of an endpoint by its name."""
    if steps.is_over:
        return None
    rig = path("rig_page")
    play = path("riffs_page")
    if steps.riff_id is not None:
        play = path("play_page", riff_id=steps.riff_id)
    texts = {
        Step.NAME: (
            "Your name",
            "So that others on this machine know whose place this is.",
            "Save",
            "",
        ),
        Step.GUITAR: (
            "Your guitar",
            "Strings, tuning, scale length, left or right. A usual six-string is set.",
            "Set up your guitar",
            f"{rig}#instrument",
        ),
        Step.LEVEL: (
            "Plug in and check the level",
            "Name the tone you play with. Two seconds of silence and four of playing do the rest.",
            "Check the level",
            rig,
        ),
        Step.LATENCY: (
            "Measure the latency",
            "Without it you see how steady you are, but not whether you're early or late.",
            "Measure it",
            path("calibrate_page"),
        ),
        Step.FIRST_TAKE: (
            "Play two bars",
            "First steps: open chords, palm mutes and a stop. The result explains every mark.",
            "Play it",
            play,
        ),
    }
    left = [step for step in Step if step not in steps.done]
    # whoever has a guitar in their hands plays first: the rest makes the result better
    first = Step.FIRST_TAKE if Step.FIRST_TAKE in left else left[0]
    lines = [
        StepLine(
            title, why, action, str(href), step in steps.done, step is first, step is Step.NAME
        )
        for step, (title, why, action, href) in texts.items()
    ]
    words = f"{len(steps.done)} of {len(lines)} done"
    return StepsView(words, steps.has_plan, lines)
