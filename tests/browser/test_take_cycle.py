"""The scripts' own logic, module by module in Chromium, and the play screen when its input goes away
at every moment of a take.
"""

import json
from collections.abc import Callable
from typing import Any

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import Served
from tests.browser.playing import HELD, LOSE, go_to_play, retype

LOSE_WHILE_READING = """() => {
  const stage = document.getElementById("play");
  const watch = new MutationObserver(() => {
    if (stage.dataset.stage !== "reading") return;
    watch.disconnect();
    window.__stream.getAudioTracks()[0].dispatchEvent(new Event("ended"));
    stage.dataset.lostAt = stage.dataset.stage;
  });
  watch.observe(stage, { attributeFilter: ["data-stage"] });
}"""


@pytest.fixture
def module(served: Served, open_page: Callable[..., Page]) -> Callable[[str, str], Any]:
    """Runs an expression with a script's exports as `m`."""
    page = open_page(microphone=False)
    page.goto(f"{served.base}/riffs")
    return lambda name, code: page.evaluate(
        f"import('{served.base}/files/{name}').then((m) => {code})"
    )


def test_every_stage_of_a_take_has_a_way_out(module: Callable[[str, str], Any]) -> None:
    stages = module("play/cycle.js", "m.STAGES")
    assert all(after in stages for events in stages.values() for after in events.values())
    reached = {"idle"}
    while more := {to for at in reached for to in stages[at].values()} - reached:
        reached |= more
    assert reached == set(stages), "no stage that nothing leads to"
    for stage, events in stages.items():
        if stage not in ("idle", "done"):
            assert {"idle", "done"} & set(events.values()), f"{stage} cannot be left"
        if stage in ("opening", "arming", "count", "record"):
            assert events["lost"] == events["drop"] == "idle"


def test_an_event_that_means_nothing_now_changes_nothing(
    module: Callable[[str, str], Any],
) -> None:
    steps = module(
        "play/cycle.js",
        """{ const told = []; const c = new m.Cycle((s) => told.push(s));
        const early = [c.on('opened'), c.on('over'), c.on('drop')];
        const taken = [c.on('go'), c.on('opened'), c.on('lost')];
        const first = c.attempt;
        taken.push(c.on('go'));
        const stale = [c.on('opened', first), c.on('go')];
        taken.push(c.on('opened', c.attempt), c.on('begun'), c.on('one'), c.on('over'), c.on('kept'), c.on('read'));
        return { early, taken, stale, told }; }""",
    )
    assert not any(steps["early"]) and all(steps["taken"]) and not any(steps["stale"])
    assert steps["told"] == (
        [
            "opening",
            "arming",
            "idle",
            "opening",
            "arming",
            "count",
            "record",
            "reading",
            "done",
            "done",
        ]
    )


PLAN = (
    "{ tempo: 120, round: 2, begin: 0, ringOut: 0.5, ringOutLeast: 0.3,"
    " bars: [{ number: 1, start: 0, end: 2, beats: 2 }] }"
)
SCORE = (
    "{ countS: 2, count: [[-2, 'accent', 1, -1], [-1, 'plain', 1, -1]],"
    " round: [[0, 'accent', 1, 0], [0.5, 'kick', 0.5, 0]], bars: 1, levels: LEVELS }"
)


def test_a_take_is_timed_in_whole_frames_of_the_audio_clock(
    module: Callable[[str, str], Any],
) -> None:
    """By hand: a bar of two beats at 120 bpm, played at 60, one bar of count-in, two rounds."""
    timed = f"m.timeTake({PLAN}, {SCORE.replace('LEVELS', '[1]')}, {{ tempo: 60, rounds: 2 }}, 1000, 10)"
    take = module("play/timing.js", timed)
    assert (take["first"], take["one"], take["over"], take["end"]) == (10350, 14350, 22350, 23350)
    assert take["counted"] == [[10350, "accent", 1], [12350, "plain", 1]]
    assert take["cues"] == [
        [14350, "accent", 1],
        [15350, "kick", 0.5],
        [18350, "accent", 1],
        [19350, "kick", 0.5],
    ]
    assert take["beats"] == [[10350, 1], [12350, 2]]
    moved = module("play/timing.js", f"m.later({timed}, 7)")
    assert moved["one"] - moved["first"] == 4000 and moved["counted"][0] == [10357, "accent", 1]
    assert moved["beats"][1] == [12357, 2] and moved["end"] == 23357
    assert moved["guitar"] == [[[14357, 1]], [[18357, 1]]]


def test_the_next_round_begins_on_the_frame_where_the_one_before_ends(
    module: Callable[[str, str], Any],
) -> None:
    """At half the tempo before, then at three quarters; every second bar is silent."""
    score = SCORE.replace("LEVELS", "[1, 0]")
    follows = module(
        "play/timing.js",
        f"{{ const one = m.timeTake({PLAN}, {score}, {{ tempo: 60, rounds: 1 }}, 1000, 10);"
        f" const two = m.timeNext({PLAN}, {score}, {{ tempo: 90, rounds: 2 }}, one);"
        f" const three = m.timeNext({PLAN}, {score}, {{ tempo: 120, rounds: 1 }}, two);"
        " return [one, two, three]; }",
    )
    one, two, three = follows
    assert two["one"] == one["over"] and three["one"] == two["over"]
    assert two["over"] - two["one"] == 5333  # two rounds of 2.667 s: rounded once, not twice
    assert two["first"] == two["one"] - 250 and two["counted"] == []
    assert [take["barsBefore"] for take in follows] == [0, 1, 3]
    assert len(one["cues"]) == 2 and three["cues"] == []
    assert [frame for frame, *_ in two["cues"]] == [two["one"] + 2667, two["one"] + 3333]


def test_what_is_kept_is_named_in_spans_and_the_level_falls(
    module: Callable[[str, str], Any],
) -> None:
    spans = module(
        "shared/keep.js",
        "m.spansOf([{frame: 0, count: 10}, {frame: 10, count: 5}, {frame: 20, count: 4}])",
    )
    assert spans == [[0, 15], [20, 24]] and module("shared/keep.js", "m.spansOf([])") == []
    level = module(
        "play/level.js",
        """{ const l = new m.Level(); const said = [l.step(false).words, l.step(true).db];
        l.hear(new Float32Array([0, -0.5, 0.1])); said.push(l.step(true).db, l.step(true).db, l.step(true).words);
        l.hear(new Float32Array([1])); said.push(l.step(true).words); return said; }""",
    )
    assert level[:2] == ["input closed", -60]
    assert level[2] == pytest.approx(-6.02, abs=0.01) and level[3] == pytest.approx(-7.96, abs=0.01)
    assert level[4] == "-10 dB" and level[5] == "too loud: turn it down"


@pytest.mark.parametrize(
    ("first_ms", "last_ms", "slept_s"),
    [([0, 1], [], 0.0), ([0, 1], [2, 1, 5003], 5.002), ([0, 1], [9000, 9100, 9200], 0.2)],
    ids=["begun just now", "asleep", "a busy machine, nine seconds behind by now"],
)
def test_a_machine_that_slept_is_told_from_a_busy_one(
    module: Callable[[str, str], Any],
    first_ms: list[int],
    last_ms: list[int],
    slept_s: float,
) -> None:
    take = json.dumps({"clock": {"first": first_ms, "last": last_ms}})
    assert module("play/run.js", f"m.sleptS({take})") == pytest.approx(slept_s)


def test_an_input_lost_at_any_moment_leaves_the_screen_ready_for_the_next_take(
    served: Served, open_page: Callable[..., Page]
) -> None:
    page = open_page()
    page.add_init_script(HELD)
    go_to_play(page, served.base, "Stop Planks")
    stage, problem = page.locator("#play"), page.locator("#problem")
    page.keyboard.press("i")
    expect(page.locator("#say")).to_contain_text("The input is open")

    page.evaluate(LOSE)  # while nothing goes on
    expect(problem).to_contain_text("The input was disconnected. Plug it in again")
    expect(stage).to_have_attribute("data-stage", "idle")

    page.evaluate("() => { window.__hold = new Promise((go) => { window.__go = go; }); }")
    page.keyboard.press("Space")  # while the take is being begun
    expect(stage).to_have_attribute("data-stage", "arming", timeout=8000)
    page.evaluate(LOSE)
    expect(problem).to_contain_text("The input was disconnected. Plug it in again")
    expect(stage).to_have_attribute("data-stage", "idle")
    page.evaluate("() => { window.__go(); window.__hold = null; }")
    expect(page.locator("#go")).to_be_enabled()

    page.keyboard.press("Space")  # in the count-in
    expect(stage).to_have_attribute("data-stage", "count", timeout=8000)
    page.evaluate(LOSE)
    expect(problem).to_contain_text("during the take")
    expect(stage).to_have_attribute("data-stage", "idle")

    page.keyboard.press("Space")  # and the next take begins as if nothing had been
    expect(stage).to_have_attribute("data-stage", "record", timeout=10000)
    page.keyboard.press("Escape")
    expect(page.locator("#say")).to_contain_text("Discarded")

    # while it is being read: the take is read all the same, and the next one begins
    retype(page.locator("#tempo"), "400")
    page.locator("#tempo").blur()
    page.evaluate(LOSE_WHILE_READING)
    page.keyboard.press("Space")
    expect(stage).to_have_attribute("data-lost-at", "reading", timeout=60_000)
    expect(stage).to_have_attribute("data-stage", "done", timeout=30_000)
    expect(problem).to_contain_text("The input was disconnected. Plug it in again")
    expect(page.locator("#outcome .verdict")).to_be_visible()
    page.keyboard.press("Space")
    expect(stage).to_have_attribute("data-stage", "count", timeout=10_000)
    page.keyboard.press("Escape")


STANDS_STILL = """
AudioContext.prototype.resume = () => new Promise(() => {});
Object.defineProperty(AudioContext.prototype, "state", { get: () => "suspended" });
if (navigator.mediaDevices) {
const all = navigator.mediaDevices.enumerateDevices.bind(navigator.mediaDevices);
navigator.mediaDevices.enumerateDevices = async () =>
  (await all()).filter((device) => window.__outputs || device.kind !== "audiooutput");
}
"""


def test_without_an_audio_output_the_real_cause_is_named(
    served: Served, open_page: Callable[..., Page]
) -> None:
    page = open_page()
    page.add_init_script(STANDS_STILL)
    go_to_play(page, served.base, "Sluice Gate")
    page.keyboard.press("l")
    expect(page.locator("#problem")).to_contain_text("No audio output is found", timeout=10_000)
    page.keyboard.press("Space")
    expect(page.locator("#play")).to_have_attribute("data-stage", "idle", timeout=10_000)
    expect(page.locator("#problem")).to_contain_text("Plug in headphones or speakers")
    page.evaluate("window.__outputs = true")
    page.keyboard.press("Space")
    expect(page.locator("#problem")).to_contain_text(
        "The audio output doesn't start", timeout=10_000
    )
