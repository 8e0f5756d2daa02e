// The palm finder: every hit that stands out is sent as a second of sound and placed on the scale;
// the last one can be kept as an example.

import { Listener, sendSound } from "../shared/listening.js";
import { onKey, onPedal, problem } from "../shared/site.js";

const root = document.getElementById("tone");
const $ = (id) => document.getElementById(id);
// of a hit: its sound, what goes before, and the least before another one cuts it
const HIT_S = 1.0,
  LEAD_S = 0.12,
  MIN_S = 0.35;
const RISE = 3.2,
  FLOOR = 0.003,
  EIGHT = 8;
const SILENCE_S = 2,
  PLAYING_S = 4;

let state = null,
  last = null,
  pending = null,
  blocks = [],
  chain = Promise.resolve();

document.addEventListener("alpine:init", () => {
  window.Alpine.data("finder", () => ({
    words: "Hit one note",
    advice: $("place").querySelector(".place-advice").textContent,
    place: "",
    decay: "–",
    clarity: "–",
    level: "–",
    steady: "Eight hits show how steady your hand is.",
    chances: "",
    checking: "",
    hits: [],
    init() {
      state = this;
    },
  }));
});

const listener = new Listener({
  tapUrl: root.dataset.tap,
  onSound: hear,
  onLost: () => {
    stage("idle");
    problem("The input was disconnected. Plug it in again, then press space.");
  },
});

function stage(name) {
  root.dataset.stage = name;
  $("listen").firstChild.textContent = name === "listening" ? "Stop listening " : "Listen ";
}

async function listen() {
  problem("");
  if (root.dataset.stage === "listening") {
    listener.close();
    stage("idle");
    state.advice = "Not listening. Space opens the input again.";
    return;
  }
  try {
    await listener.open();
    stage("listening");
    state.words = "Hit one note";
    state.place = "";
    state.advice = "Listening. One hit at a time, a second each.";
  } catch (error) {
    stage("idle");
    problem(error.message);
  }
}

// A hit is a block far louder than those before it; it is sent a second later, or when the next
// one comes.
function hear(frame, pcm) {
  if (root.dataset.stage !== "listening") return;
  let peak = 0;
  for (const s of pcm) {
    const size = Math.abs(s);
    if (size > peak) peak = size;
  }
  const before = Math.max(FLOOR, Math.min(...blocks, 1));
  const end = frame + pcm.length;
  const risen = blocks.length >= 3 && peak > RISE * before && peak > 2 * FLOOR;
  if (risen && (!pending || frame - pending.from > (LEAD_S + MIN_S) * listener.rate)) {
    if (pending) flush(frame - Math.round(0.01 * listener.rate));
    pending = { from: frame - Math.round(LEAD_S * listener.rate) };
  }
  if (pending && end >= pending.from + (LEAD_S + HIT_S) * listener.rate)
    flush(pending.from + Math.round((LEAD_S + HIT_S) * listener.rate));
  blocks.push(peak);
  if (blocks.length > 4) blocks.shift();
}

function flush(to) {
  const sound = listener.cut(pending.from, to),
    rate = listener.rate;
  pending = null;
  chain = chain.then(() => place(sound, rate));
}

async function place(sound, rate) {
  const ended = performance.now();
  const before = state.hits
    .slice(0, EIGHT - 1)
    .reverse()
    .map((hit) => `${hit.depth}${hit.place[0]}`)
    .join(",");
  try {
    const hit = await (
      await sendSound(root.dataset.hit, { rate, before, tone: root.dataset.tone }, sound)
    ).json();
    last = { sound, rate };
    Object.assign(state, {
      words: hit.words,
      advice: hit.advice,
      place: hit.place,
      decay: hit.decay,
      clarity: hit.clarity,
      level: hit.level,
      steady: hit.steady,
      chances: hit.chances,
    });
    state.hits = [hit, ...state.hits].slice(0, EIGHT);
    draw();
    root.dataset.placedAfterMs = Math.round(performance.now() - ended);
    for (const button of document.querySelectorAll(".keep")) button.disabled = false;
    $("again").disabled = false;
  } catch (error) {
    state.words = "Not a hit";
    state.place = "";
    state.advice = error.message;
  }
}

function draw() {
  const wide = Number($("scale").dataset.wide);
  $("dots").replaceChildren(
    ...state.hits.toReversed().map((hit, k, all) => {
      const dot = document.createElementNS("http://www.w3.org/2000/svg", "circle");
      const newest = k === all.length - 1;
      dot.setAttribute("cx", String(Math.min(wide - 16, Math.max(16, hit.at))));
      dot.setAttribute("cy", String(newest ? 44 : 118 - 9 * (all.length - 1 - k)));
      dot.setAttribute("r", newest ? "16" : "6");
      dot.setAttribute("class", newest ? "dot newest" : "dot");
      return dot;
    }),
  );
}

async function keep(kind) {
  if (!last) return;
  problem("");
  try {
    const html = await (
      await sendSound(root.dataset.examples, { rate: last.rate, kind }, last.sound)
    ).text();
    $("examples").outerHTML = html;
    window.htmx.process($("examples"));
    bindKeep();
  } catch (error) {
    problem(error.message);
  }
}

function bindKeep() {
  for (const button of document.querySelectorAll(".keep")) {
    button.disabled = !last;
    button.addEventListener("click", () => keep(button.dataset.kind));
  }
}
document.addEventListener("htmx:afterSettle", bindKeep);

function again() {
  if (!last) return;
  const context = new AudioContext({ sampleRate: last.rate });
  const buffer = new AudioBuffer({
    length: last.sound.length,
    numberOfChannels: 1,
    sampleRate: last.rate,
  });
  buffer.copyToChannel(last.sound, 0);
  const node = new AudioBufferSourceNode(context, { buffer });
  node.connect(context.destination);
  node.onended = () => context.close();
  node.start();
}

function clear() {
  listener.close();
  stage("idle");
  pending = null;
  Object.assign(state, {
    hits: [],
    words: "Hit one note",
    advice: "Space opens the input.",
    place: "",
    decay: "–",
    clarity: "–",
    level: "–",
    chances: "",
    steady: "Eight hits show how steady your hand is.",
  });
  draw();
}

let checking = false;
async function check(part) {
  if (checking) return;
  problem("");
  checking = true;
  const seconds = part === "silence" ? SILENCE_S : PLAYING_S;
  const was = root.dataset.stage;
  stage("checking");
  try {
    await listener.open();
    const from = listener.now() + Math.round(0.3 * listener.rate);
    let left = seconds;
    state.checking =
      part === "silence" ? "Quiet, please …" : "Play your hardest chords, let the last one ring …";
    const tick = setInterval(() => {
      left -= 1;
      state.checking =
        left > 0 ? `${part === "silence" ? "Silence" : "Play hard"}: ${left} s` : "…";
    }, 1000);
    try {
      const sound = await listener.stretch(from, from + seconds * listener.rate);
      const html = await (
        await sendSound(root.dataset.level, { rate: listener.rate, part }, sound)
      ).text();
      $("level").outerHTML = html;
    } finally {
      clearInterval(tick);
    }
  } catch (error) {
    problem(error.message);
  }
  state.checking = "";
  checking = false;
  stage(was === "listening" ? "listening" : "idle");
  if (was !== "listening") listener.close();
}

$("listen").addEventListener("click", listen);
$("clear").addEventListener("click", clear);
$("again").addEventListener("click", again);
$("silence").addEventListener("click", () => check("silence"));
$("loud").addEventListener("click", () => check("playing"));
bindKeep();
onKey(" ", listen);
onPedal("PageDown", listen);
onPedal("PageUp", clear);
onPedal("Escape", clear);
onKey("l", again);
onKey("n", () => check("silence"));
onKey("h", () => check("playing"));
["open", "light", "full", "tight", "dead"].forEach((kind, k) => {
  onKey(String(k + 1), () => keep(kind));
});
addEventListener("pagehide", () => listener.close());
