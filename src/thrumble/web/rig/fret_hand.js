// Grab and release with the click, and one held chord taken apart.

import { Listener, sendSound } from "../shared/listening.js";
import { onKey, onPedal, problem } from "../shared/site.js";

const root = document.getElementById("fret");
const $ = (id) => document.getElementById(id);
const BEATS = 16,
  COUNT_IN = 4,
  TAIL_S = 0.8,
  CHORD_S = 2;
let state = null,
  listener = null,
  stopped = false;

document.addEventListener("alpine:init", () => {
  window.Alpine.data("fretHand", () => ({
    say: root.querySelector(".say").textContent,
    count: "–",
    act: "count",
    fall: "–",
    left: "–",
    late: "–",
    releases: [],
    strings: [],
    chordWords: "",
    init() {
      state = this;
    },
  }));
});

function stage(name) {
  root.dataset.stage = name;
  const busy = name === "running";
  $("stop").hidden = !busy;
  $("go").disabled = $("chord").disabled = busy;
}

async function withInput(work) {
  if (root.dataset.stage === "running") return;
  problem("");
  stopped = false;
  stage("running");
  listener = new Listener({ tapUrl: root.dataset.tap, clickBase: root.dataset.click });
  try {
    await listener.open();
    await work();
    stage("done");
  } catch (error) {
    stage("idle");
    state.say = "Nothing was measured.";
    if (!stopped) problem(error.message);
  }
  listener.close();
}

function releases() {
  return withInput(async () => {
    const bpm = Math.min(160, Math.max(40, Number($("tempo").value) || 80));
    const beat = Math.round((60 / bpm) * listener.rate);
    const first = listener.now() + Math.round(0.5 * listener.rate);
    const frames = Array.from({ length: COUNT_IN + BEATS }, (_, k) => first + k * beat);
    const one = frames[COUNT_IN];
    const silence = listener.play(frames.map((frame, k) => [frame, k % 4 === 0]));
    window.dispatchEvent(
      new CustomEvent("exercise-begins", { detail: { frame: one, rate: listener.rate } }),
    );
    const show = setInterval(() => {
      if (stopped || !listener.input) {
        silence();
        listener.close();
        return;
      }
      const k = Math.floor((listener.now() - first) / beat);
      if (k < 0 || k >= frames.length) return;
      state.count = String((k % 4) + 1);
      state.act = k < COUNT_IN ? "count-in" : k % 2 === 0 ? "grab" : "let go";
      state.say = k < COUNT_IN ? "Count-in …" : `${Math.floor((k - COUNT_IN) / 2) + 1} of 8`;
    }, 30);
    try {
      const from = one - Math.round(0.2 * listener.rate);
      const sound = await listener.stretch(
        from,
        frames.at(-1) + beat + Math.round(TAIL_S * listener.rate),
      );
      state.say = "Listening …";
      state.count = "–";
      state.act = "count";
      const found = await (
        await sendSound(
          root.dataset.releases,
          { rate: listener.rate, start: (one - from) / listener.rate, tempo: bpm },
          sound,
        )
      ).json();
      Object.assign(state, {
        say: found.words,
        fall: found.fall,
        left: found.left,
        late: found.late,
        releases: found.each,
      });
      draw(found.each);
    } finally {
      clearInterval(show);
    }
  });
}

// Each release as a wall that leans: upright is quick, a long slope is slow; what is left lies
// under it.
function draw(each) {
  const wide = 800 / Math.max(1, each.length);
  const shape = (name, values) => {
    const e = document.createElementNS("http://www.w3.org/2000/svg", name);
    for (const [k, v] of Object.entries(values)) e.setAttribute(k, v);
    return e;
  };
  $("falls").replaceChildren(
    ...each.flatMap((one, k) => {
      const x = k * wide + 6,
        hold = wide * 0.35;
      if (one.fall_ms === null)
        return [shape("rect", { x, y: 30, width: wide - 12, height: 110, class: "ringing" })];
      const slope = Math.min(wide * 0.55, one.fall_ms / 2.2),
        rest = 110 * Math.max(0, 1 + (one.left_db ?? -60) / 32),
        from = x + hold + slope * 0.4;
      return [
        shape("path", { d: `M${x} 140 V30 h${hold} l${slope} 110 z`, class: "held" }),
        shape("rect", {
          x: from,
          y: 140 - rest,
          width: Math.max(0, x + wide - 14 - from),
          height: rest,
          class: "left",
        }),
      ];
    }),
    shape("line", { x1: 0, y1: 140, x2: 800, y2: 140, class: "string" }),
  );
}

function chord() {
  return withInput(async () => {
    state.say = "Hit B5 once and hold it …";
    const heardFrom = listener.now();
    let struck = null;
    while (struck === null) {
      if (stopped) throw new Error("stopped");
      if (listener.now() - heardFrom > 10 * listener.rate)
        throw new Error("We heard nothing for ten seconds. Check your input, then hit the chord.");
      await new Promise((done) => setTimeout(done, 60));
      const piece = listener.cut(
        Math.max(heardFrom, listener.now() - Math.round(0.3 * listener.rate)),
        listener.now(),
      );
      const at = piece.findIndex((s) => Math.abs(s) > 0.02);
      if (at >= 0) struck = listener.now() - piece.length + at;
    }
    state.say = "Hold it …";
    const sound = await listener.stretch(
      struck - Math.round(0.1 * listener.rate),
      struck + Math.round(CHORD_S * listener.rate),
    );
    const found = await (
      await sendSound(root.dataset.chord, { rate: listener.rate }, sound)
    ).json();
    Object.assign(state, { say: found.words, chordWords: found.words, strings: found.each });
  });
}

function stop() {
  stopped = true;
  listener?.close();
}
$("go").addEventListener("click", releases);
$("chord").addEventListener("click", chord);
$("stop").addEventListener("click", stop);
onKey(" ", releases);
onPedal("PageDown", releases);
onKey("s", chord);
onPedal("PageUp", stop);
onPedal("Escape", stop);
addEventListener("pagehide", () => listener?.close());
