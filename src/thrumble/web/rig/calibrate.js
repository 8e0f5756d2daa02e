// The click goes out and is listened for: sixteen in the first opening of the stream, six in each
// of five more.

import { Listener, sendSound } from "../shared/listening.js";
import { onKey, onPedal, problem, send } from "../shared/site.js";

const FIRST = 16,
  MORE = 6,
  OPENINGS = 6,
  STEP_S = 0.5,
  TAIL_S = 0.6;
const root = document.getElementById("calibrate");
const $ = (id) => document.getElementById(id);
let state = null,
  listener = null,
  stopped = false,
  running = false;

document.addEventListener("alpine:init", () => {
  window.Alpine.data("calibration", () => ({
    figure: "–",
    under: "not measured yet",
    openings: [],
    air: "",
    kept: "",
    say: $("say").textContent,
    init() {
      state = this;
      air();
    },
  }));
});

const ms = (value, digits = 2) => `${value.toFixed(digits)} ms`;

function air() {
  if (state) state.air = ms(Number($("metres").value || 0) * Number(root.dataset.msPerM), 1);
}
$("metres").addEventListener("input", air);

function stage(name) {
  root.dataset.stage = name;
  running = name === "running";
  $("stop").hidden = !running;
  $("measure").disabled = $("drum").disabled = running;
}

async function opening(kind, count) {
  listener = new Listener({ tapUrl: root.dataset.tap, clickBase: root.dataset.click });
  try {
    await listener.open();
    const step = Math.round((kind === "drum" ? 0.6 : STEP_S) * listener.rate);
    const first = listener.now() + Math.round(0.5 * listener.rate);
    const frames = Array.from({ length: count }, (_, k) => first + k * step);
    const from = first - Math.round(0.2 * listener.rate);
    const silence = listener.play(frames.map((frame) => [frame, false]));
    const cancel = setInterval(() => {
      if (stopped) {
        silence();
        listener.close();
      }
    }, 50);
    try {
      const sound = await listener.stretch(
        from,
        frames.at(-1) + Math.round(TAIL_S * listener.rate),
      );
      const answer = await sendSound(
        root.dataset.hear,
        { rate: listener.rate, clicks: frames.map((f) => f - from).join(","), kind },
        sound,
      );
      return { ...(await answer.json()), rate: listener.rate, device: listener.device };
    } finally {
      clearInterval(cancel);
    }
  } finally {
    listener.close();
  }
}

async function measure(kind) {
  if (running) return;
  problem("");
  stopped = false;
  stage("running");
  state.openings = [];
  state.figure = "…";
  state.under = "listening";
  const count = kind === "drum" ? 1 : OPENINGS;
  const found = [];
  try {
    for (let k = 0; k < count; k++) {
      state.say =
        kind === "drum"
          ? "Knock on the body once with every click."
          : k === 0
            ? "Sixteen clicks …"
            : `Opening the input again, ${k} of ${OPENINGS - 1} …`;
      const one = await opening(kind, k === 0 ? FIRST : MORE);
      found.push(one);
      state.openings = [
        ...state.openings,
        {
          words: ms(one.delay_ms),
          note: `${one.clicks} clicks, within ${ms(one.repeat_ms)}`,
          state: "done",
        },
      ];
      state.figure = ms(one.delay_ms, 1);
      state.under = `opening ${k + 1} of ${count}`;
    }
    if (found.some((one) => one.rate !== found[0].rate || one.device !== found[0].device))
      throw new Error("The input changed meanwhile. Measure again.");
    const body = JSON.stringify({
      device: found[0].device,
      rate: found[0].rate,
      kind,
      openings: found.map((one) => ({ delay_ms: one.delay_ms, repeat_ms: one.repeat_ms })),
    });
    const kept = await (
      await send(root.dataset.keep, { body, headers: { "content-type": "application/json" } })
    ).json();
    state.figure = ms(kept.delay_ms, 1);
    state.under = kept.words;
    state.kept =
      `${ms(kept.delay_ms, 1)}, ${found[0].device || "input"} at ${found[0].rate / 1000} kHz: ` +
      `${kept.words}.`;
    state.say = "Saved. From now on, takes with this input tell early from late.";
    root.dataset.delay = kept.delay_ms;
    stage("done");
  } catch (error) {
    stage("idle");
    state.figure = "–";
    state.under = "nothing was kept";
    if (stopped) {
      state.say = "Stopped. Nothing was saved.";
      return;
    }
    state.say = "Nothing was saved.";
    problem(error.message);
  }
}

const go = () => measure("return");
$("measure").addEventListener("click", go);
$("drum").addEventListener("click", () => measure("drum"));
$("stop").addEventListener("click", stop);

function stop() {
  stopped = true;
}
onKey(" ", go);
onPedal("PageDown", go);
onKey("d", () => measure("drum"));
onPedal("PageUp", stop);
onPedal("Escape", stop);
addEventListener("pagehide", () => listener?.close());
