// Chord names on the click: called, hit, heard.

import { Listener, sendSound } from "../shared/listening.js";
import { onKey, onPedal, problem, send } from "../shared/site.js";

const root = document.getElementById("recall");
const $ = (id) => document.getElementById(id);
const COUNT_IN = 4,
  BEFORE_S = 0.2,
  LONGEST_S = 60;
const STATES = {
  right: "right",
  wrong: "wrong",
  "another place": "right chord, another place",
  "not heard": "nothing clear heard",
};
let listener = null,
  stopped = false;

const number = (id, low, high, usual) =>
  Math.min(high, Math.max(low, Number($(id).value) || usual));

async function drawCalls() {
  const asked = new URLSearchParams(/** @type {any} */ (new FormData($("recall-form"))));
  return (await send(`${root.dataset.calls}?${asked}`, { method: "GET" })).json();
}

/** Clicks and calls from now on; resolves with the sound and where in it the first call lies. */
async function run(state, calls, beat, beats) {
  const frames = Array.from({ length: COUNT_IN + calls.length * beats }, (_, k) => k);
  const first = listener.now() + Math.round(0.5 * listener.rate);
  const one = first + COUNT_IN * beat;
  const silence = listener.play(
    frames.map((k) => [first + k * beat, k < COUNT_IN ? k === 0 : (k - COUNT_IN) % beats === 0]),
  );
  const calling = { frame: one, every: beat * beats, rate: listener.rate, calls };
  window.dispatchEvent(new CustomEvent("calls-begin", { detail: calling }));
  const show = setInterval(() => {
    if (stopped || !listener.input) {
      silence();
      listener.close();
      return;
    }
    state.showAt(calls, Math.floor((listener.now() - first) / beat), beats);
  }, 20);
  try {
    const from = one - Math.round(BEFORE_S * listener.rate);
    const sound = await listener.stretch(from, one + calls.length * beats * beat);
    return { sound, start: (one - from) / listener.rate };
  } finally {
    clearInterval(show);
  }
}

document.addEventListener("alpine:init", () => {
  window.Alpine.data("recall", () => ({
    say: root.querySelector(".say").textContent,
    count: "",
    progress: "",
    name: "E5?",
    where: "",
    busy: false,
    answers: [],
    get idle() {
      return !this.busy;
    },
    get none() {
      return this.answers.length === 0;
    },
    init() {
      const start = () => this.go();
      onKey(" ", start);
      onPedal("PageDown", start);
      onPedal("PageUp", () => this.stop());
      onPedal("Escape", () => this.stop());
      addEventListener("pagehide", () => listener?.close());
    },
    showAt(calls, k, beats) {
      if (k < 0) return;
      this.count = String(((k < COUNT_IN ? k : k - COUNT_IN) % beats) + 1);
      if (k < COUNT_IN) {
        this.progress = "count-in";
        return;
      }
      const at = Math.min(calls.length - 1, Math.floor((k - COUNT_IN) / beats));
      Object.assign(this, {
        name: calls[at].name,
        where: `root on string ${calls[at].string}`,
        progress: `${at + 1} of ${calls.length}`,
        say: "Hit it, let it ring.",
      });
    },
    async go() {
      if (this.busy) return;
      problem("");
      this.busy = true;
      stopped = false;
      Object.assign(this, { answers: [], say: "Count-in …" });
      root.dataset.stage = "running";
      listener = new Listener({ tapUrl: root.dataset.tap, clickBase: root.dataset.click });
      try {
        await this.drill();
        root.dataset.stage = "done";
      } catch (error) {
        root.dataset.stage = "idle";
        this.say = "This drill didn't count.";
        if (!stopped) problem(error.message);
      }
      listener.close();
      Object.assign(this, { busy: false, count: "", progress: "", name: "E5?", where: "" });
    },
    async drill() {
      const calls = await drawCalls();
      const bpm = number("tempo", 40, 200, 96),
        beats = Number($("beats").value);
      if ((calls.length * beats * 60) / bpm > LONGEST_S)
        throw new Error("That is more than a minute: take fewer calls, or a faster click.");
      await listener.open();
      const beat = Math.round((60 / bpm) * listener.rate);
      const { sound, start } = await run(this, calls, beat, beats);
      this.say = "Listening …";
      const asked = new URLSearchParams({
        rate: String(listener.rate),
        start: String(start),
        every: String((beat * beats) / listener.rate),
      });
      for (const one of calls) asked.append("call", `${one.root}.${one.string}`);
      const found = await (await sendSound(root.dataset.hear, asked, sound)).json();
      this.say = found.words;
      this.answers = found.each.map((one) => ({
        ...one,
        words:
          STATES[one.state] + (one.state === "wrong" && one.heard ? `: that was ${one.heard}` : ""),
      }));
      window.htmx.ajax("GET", root.dataset.table, { target: "#recalled", swap: "outerHTML" });
    },
    stop() {
      stopped = true;
      listener?.close();
    },
  }));
});
