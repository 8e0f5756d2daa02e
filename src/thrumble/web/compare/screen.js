// Hearing A, B and the ideal at the same place of the riff, slower, in a loop; the waveforms with
// what was due and what fell.
import { onKey, onPedal, problem } from "../shared/site.js";

const $ = (id) => document.getElementById(id);
const marks = JSON.parse($("marks").textContent);
const LOOK_S = 0.05;
const DRAGGED_PX = 6; // less than this is a click
const sounds = Object.fromEntries(
  [...document.querySelectorAll("#hear audio")].map((one) => [one.id.replace("sound-", ""), one]),
);
let now = "a";
let loop = null; // what goes round: { what: "bar" or "hit" or "part", from, to } in riff seconds

const place = (audio) =>
  ((audio.currentTime - audio.dataset.start) * audio.dataset.tempo) / marks.tempo;
const seconds = (audio, at) =>
  Math.max(0, Number(audio.dataset.start) + (at * marks.tempo) / audio.dataset.tempo);
const last = (list, at) => list.findLast(([, from]) => from <= at + LOOK_S) ?? list[0];
/** The bar or hit at a place, in whichever round: [its number, from, to]. */
function inRound(list, at) {
  const before = Math.max(0, Math.floor((at + LOOK_S) / marks.round)) * marks.round;
  const [number, from, to] = last(list, at - before);
  return [number, from + before, to + before];
}
const barAt = (at) => inRound(marks.bars, at);
const hitAt = (at) => inRound(marks.hits, at);

const whole = new Map(); // each sound as it came, fetched once

/** All of a sound: only then it may be jumped about in. */
function fetched(id) {
  if (!whole.has(id))
    whole.set(
      id,
      fetch(sounds[id].dataset.src).then(async (answer) => {
        if (answer.ok) return answer.blob();
        whole.delete(id);
        throw new Error(
          (await answer.text())
            .replace(/<[^>]*>/g, " ")
            .trim()
            .slice(0, 200) || "This sound can't be played.",
        );
      }),
    );
  return whole.get(id);
}

/** Once the sound may be jumped about in. */
async function ready(id) {
  const audio = sounds[id];
  if (audio.readyState >= 1) return;
  const blob = await fetched(id);
  await new Promise((resolve, reject) => {
    audio.addEventListener("loadedmetadata", resolve, { once: true });
    audio.addEventListener("error", () => reject(new Error("This sound can't be played.")), {
      once: true,
    });
    audio.preload = "auto"; // without it Firefox waits with what it holds already
    audio.src = URL.createObjectURL(blob);
  });
}

function setSpeed(audio) {
  audio.preservesPitch = true;
  audio.playbackRate = Number($("speed").value);
}

/** Plays one of the sounds from a place of the riff, in seconds at its own tempo. */
async function play(id, at) {
  try {
    const audio = sounds[id];
    await ready(id);
    for (const one of Object.values(sounds)) if (one !== audio) one.pause();
    now = id;
    audio.currentTime = seconds(audio, at);
    setSpeed(audio);
    await audio.play();
    tell();
    requestAnimationFrame(follow);
  } catch (error) {
    if (error.name !== "AbortError") problem(error.message);
  }
}

function tell() {
  for (const one of document.querySelectorAll(".pick")) {
    one.setAttribute("aria-checked", String(one.dataset.sound === now));
  }
}

function choose(id) {
  const was = sounds[now];
  if (was.paused) {
    now = id;
    tell();
  } else play(id, place(was));
}

function toggle() {
  const audio = sounds[now];
  if (!audio.paused) audio.pause();
  else play(now, audio.readyState ? place(audio) : marks.bars[0][1]);
}

function step(way) {
  const [, from, to] = barAt(place(sounds[now]));
  const next = barAt(Math.max(0, way > 0 ? to : from - 2 * LOOK_S));
  if (loop) setLoop("bar", next[1], next[2]);
  play(now, next[1]);
}

/** What goes round from now on; null for nothing. */
function setLoop(what, from, to) {
  loop = what ? { what, from, to } : null;
  $("loop").setAttribute("aria-pressed", String(what !== null && what !== "hit"));
  $("loop-hit").setAttribute("aria-pressed", String(what === "hit"));
  for (const pair of document.querySelectorAll(".pair")) {
    const bar = marks.bars.find(([number]) => number === Number(pair.dataset.bar));
    const inside =
      loop && bar[1] < (loop.to % marks.round) + 1e-6 && bar[2] > (loop.from % marks.round) + 1e-6;
    pair.classList.toggle("looped", Boolean(inside) && what !== "hit");
  }
  for (const block of document.querySelectorAll(".pair .block")) {
    const hit = marks.hits.find(([index]) => index === Number(block.dataset.hit.split("-")[1]));
    block.classList.toggle("looped", what === "hit" && hit?.[1] === from % marks.round);
  }
}

function toggleLoop(what) {
  if (loop && (what === "hit") === (loop.what === "hit")) setLoop(null);
  else {
    const at = sounds[now].readyState ? place(sounds[now]) : 0;
    const [, from, to] = what === "hit" ? hitAt(at) : barAt(at);
    setLoop(what, from, to);
  }
}

function follow() {
  const audio = sounds[now];
  const at = place(audio);
  if (loop && at >= loop.to) audio.currentTime = seconds(audio, loop.from);
  const bar = barAt(at);
  for (const pair of document.querySelectorAll(".pair")) {
    pair.classList.toggle("here", !audio.paused && Number(pair.dataset.bar) === bar[0]);
  }
  $("heard").textContent = audio.paused ? "" : `bar ${bar[0]}`;
  if (!audio.paused) requestAnimationFrame(follow);
}

$("listen").addEventListener("click", toggle);
$("loop").addEventListener("click", () => toggleLoop("bar"));
$("loop-hit").addEventListener("click", () => toggleLoop("hit"));
$("speed").addEventListener("change", () => Object.values(sounds).forEach(setSpeed));
for (const one of document.querySelectorAll(".pick")) {
  one.addEventListener("click", () => choose(one.dataset.sound));
}
for (const pair of document.querySelectorAll(".pair")) {
  pair.addEventListener("click", (event) => {
    const bar = marks.bars.find(([number]) => number === Number(pair.dataset.bar));
    const index = event.target.closest(".block")?.dataset.hit.split("-")[1];
    const hit = index ? marks.hits.find(([one]) => one === Number(index)) : null;
    if (event.shiftKey) {
      const from = loop ?? { from: barAt(place(sounds[now]))[1] };
      setLoop("part", Math.min(from.from, bar[1]), Math.max(loop?.to ?? 0, bar[2]));
      play(now, loop.from);
    } else if (hit) {
      setLoop("hit", hit[1], hit[2]);
      play(now, hit[1]);
    } else {
      if (loop) setLoop("bar", bar[1], bar[2]);
      play(now, bar[1]);
    }
  });
}
onKey(" ", toggle);
onPedal("PageDown", toggle);
["a", "b", "ideal", "click"].forEach((id, k) => {
  onKey(String(k + 1), () => choose(id));
});
onKey("o", () => toggleLoop("bar"));
onKey("h", () => toggleLoop("hit"));
onKey("s", () => {
  const speed = $("speed");
  speed.selectedIndex = (speed.selectedIndex + 1) % speed.options.length;
  speed.dispatchEvent(new Event("change"));
});
onKey("ArrowLeft", () => step(-1));
onKey("ArrowRight", () => step(1));

// --- waveforms ---

const RATE_HZ = 24000;

async function drawWave(figure) {
  const id = figure.dataset.wave;
  const canvas = figure.querySelector("canvas");
  const bytes = await (await fetched(id)).arrayBuffer();
  const sound = await new OfflineAudioContext(1, 1, RATE_HZ).decodeAudioData(bytes);
  const draw = () => paint(canvas, sound, marks[id]);
  const riffTime = (x) =>
    (((x / canvas.clientWidth) * sound.duration - sounds[id].dataset.start) *
      sounds[id].dataset.tempo) /
    marks.tempo;
  let pressed = null;
  canvas.addEventListener("pointerdown", (event) => {
    pressed = event.offsetX;
    canvas.setPointerCapture(event.pointerId);
  });
  canvas.addEventListener("pointerup", (event) => {
    const [from, to] = [pressed ?? event.offsetX, event.offsetX].sort((a, b) => a - b);
    if (to - from >= DRAGGED_PX) setLoop("part", riffTime(from), riffTime(to));
    pressed = null;
    play(id, riffTime(from));
  });
  draw();
  addEventListener("resize", draw);
  new MutationObserver(draw).observe(document.documentElement, {
    attributeFilter: ["data-bs-theme"],
  });
}

/** Peaks as a band; above it a tick where each hit was due, below it where it fell. */
function paint(canvas, sound, { onsets, due }) {
  canvas.width = canvas.clientWidth * devicePixelRatio;
  canvas.height = 84 * devicePixelRatio;
  const { width, height } = canvas;
  const pen = canvas.getContext("2d");
  const colour = (name) => getComputedStyle(canvas).getPropertyValue(name);
  const data = sound.getChannelData(0);
  const step = data.length / width;
  const middle = height / 2;
  const loudest = data.reduce((most, value) => Math.max(most, Math.abs(value)), 1e-6);
  pen.fillStyle = colour("--slate");
  for (let x = 0; x < width; x++) {
    let peak = 0;
    for (let k = Math.floor(x * step); k < (x + 1) * step; k++)
      peak = Math.max(peak, Math.abs(data[k] ?? 0));
    const tall = (peak / loudest) * middle * 0.78;
    pen.fillRect(x, middle - tall, 1, 2 * tall);
  }
  const x = (s) => (s / sound.duration) * width;
  pen.fillStyle = colour("--ink");
  for (const s of due) pen.fillRect(x(s), 0, devicePixelRatio, height * 0.16);
  pen.fillStyle = colour("--ember");
  for (const s of onsets) pen.fillRect(x(s), height * 0.84, devicePixelRatio * 2, height * 0.16);
}

for (const figure of document.querySelectorAll(".wave")) {
  drawWave(figure).catch(() => figure.querySelector("canvas").remove());
}
