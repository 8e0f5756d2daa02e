// The take cycle: open the input, count in, record, stop by itself, read, arm the next round. One
// key does it.
import { onKey, onPedal, problem } from "../shared/site.js";
import { Refused, givenSettings, scheduleClicks } from "../shared/recorder.js";
import { roomSeconds } from "../shared/keep.js";
import { Cycle } from "./cycle.js";
import { Input } from "./input.js";
import { Keeper } from "./keeper.js";
import { Level } from "./level.js";
import { Show } from "./show.js";
import { later, timeTake } from "./timing.js";

const $ = (id) => document.getElementById(id);
const root = $("play");
const plan = JSON.parse($("plan").textContent);
const urls = { begin: root.dataset.begin, takes: root.dataset.takes };
// so long the screen waits for the server at the end of a take; the take itself waits for ever
const PATIENCE_MS = 6000;
const METER_MS = 80;
const SOON_S = 3; // less than this not yet sent is nothing to tell
const READY_S = 0.12; // the count-in begins no sooner than this after everything is ready

let view = null; // the page's words
let show = null;
let take = null; // the take that is going on: its times, its keeper, its clock
let wake = null;
const level = new Level();
const cycle = new Cycle((stage) => { if (view) view.stage = stage; });
const input = new Input(root.dataset, {
  onSound: hear,
  onLost: lost,
  onLatency: (words) => { view.latency = words; },
  onRefused: refuse,
});

document.addEventListener("alpine:init", () => {
  window.Alpine.data("play", () => ({
    stage: "idle",
    say: $("say").textContent,
    safe: "",
    meter: "–",
    hot: false,
    bar: "–",
    barOf: "",
    count: "–",
    cue: "",
    nextHead: "next",
    tempo: $("tempo").value,
    latency: $("latency").textContent,
    get busy() { return !["idle", "done"].includes(this.stage); },
    get going() { return ["count", "record"].includes(this.stage); },
    get still() { return !this.going; },
    get meterClass() { return this.hot ? "hot" : ""; },
    go() {
      $("go").blur();
      go();
    },
    check,
    drop,
    tempoTyped() { this.tempo = String(tempo()); },
    tempoDone() { setTempo(tempo()); },
    init() {
      view = this;
      show = new Show(plan, this);
    },
  }));
});

function number(id, low, high, fallback) {
  const typed = Number($(id).value);
  return typed >= low && typed <= high ? typed : fallback;
}
const tempo = () => number("tempo", 20, 400, plan.tempo);

function setTempo(bpm) { view.tempo = $("tempo").value = String(Math.min(400, Math.max(20, bpm))); }

// --- input ---

/** Opens the input without playing, so that the level can be set. */
async function check() {
  if (!cycle.on("check")) return;
  problem("");
  $("after").replaceChildren();
  try { await input.open(); } catch (error) { refuse(error); return; }
  if (!cycle.on("opened")) return;
  view.say = "The input is open: play a hard chord and check the level. " +
    "Space counts in and records.";
}

function refuse(error) {
  input.close();
  cycle.on("refused");
  problem(error instanceof Refused ? error.message : `The input does not open: ${error.message}`);
  view.say = "Nothing is recorded yet.";
}

function lost() {
  input.close();
  const cut = leaveTake("cut");
  cycle.on("lost");
  view.say = "Space counts in and records.";
  const waits = "What was recorded so far waits on Today: finish it there, or press space for a " +
    "new take.";
  problem(cut ?
    `The input went away in the middle of the take. Plug it in again. ${waits}` :
    "The input went away. Plug it in again, then press space.");
}

function hear(frame, samples) {
  level.hear(samples);
  if (take) keep(frame, samples);
}

// --- the take ---

async function go() {
  if (!cycle.on("go")) return;
  const attempt = cycle.attempt;
  problem("");
  view.say = "Opening the input …";
  try {
    await input.open();
  } catch (error) {
    if (attempt === cycle.attempt) refuse(error);
    return;
  }
  if (!input.isOpen || !cycle.on("opened", attempt)) return; // it, or the player, went away again
  $("after").replaceChildren();
  const { context } = input;
  const chosen = {
    tempo: tempo(),
    rounds: Math.round(number("rounds", 1, 50, 1)),
    countBars: Number($("count-in").value),
    clicks: $("click-on").value === "1"
  };
  const timed = timeTake(plan, chosen, context.sampleRate, context.currentTime);
  await checkRoom((timed.end - timed.first) / timed.rate, timed.rate);
  if (!input.isOpen || !cycle.on("begun", attempt)) return;
  try { begin(timed, chosen, input); } catch (error) {
    leaveTake("discarded");
    cycle.on("drop");
    problem(`The take could not begin: ${error.message}. Reload the page and try again.`);
  }
}

/** From here on the take is kept. Opening took a moment: all of it moves on by whole frames. */
function begin(timed, chosen, { context, track }) {
  const soonest = Math.round((context.currentTime + READY_S) * timed.rate);
  take = later(timed, Math.max(0, soonest - timed.first));
  const told = {
    key: crypto.randomUUID(),
    title: plan.title,
    beganAt: Date.now(),
    take: null,
    state: "recording",
    report: null,
    refused: null,
    begin: {
      revision: plan.revision,
      tempo: chosen.tempo,
      rounds: chosen.rounds,
      start_frame: timed.one - timed.first,
      rate: timed.rate,
      device: track.label || "",
      tone: Number($("tone").value) || null,
      zone: Intl.DateTimeFormat().resolvedOptions().timeZone,
    },
  };
  Object.assign(take, {
    keeper: new Keeper(told, urls, { onState: showSafe, onTrouble: problem }),
    clock: { first: [], last: [] },
    underruns: input.underruns,
    settings: () => givenSettings(track),
  });
  take.stop = scheduleClicks(input.now, take.clicks);
  level.clipped = false;
  window.dispatchEvent(new CustomEvent("take-begins", {
    detail: {
      firstFrame: take.first,
      startFrame: take.one,
      rate: take.rate
    }
  }));
  view.say = "Count-in …";
  navigator.wakeLock?.request("screen").then((lock) => { wake = lock; }, () => {});
  requestAnimationFrame(draw);
}

// The audio clock steps in blocks, so a single look is off by some ms; the smallest of many
// differences is steady.
function watchClock() {
  const difference = performance.now() - input.context.currentTime * 1000;
  if (take.clock.first.length < 25) take.clock.first.push(difference);
  take.clock.last.push(difference);
  if (take.clock.last.length > 25) take.clock.last.shift();
}

function keep(frame, samples) {
  watchClock();
  const from = Math.max(0, take.first - frame),
    to = Math.min(samples.length, take.end - frame);
  if (to > from) {
    take.keeper.add(frame + from - take.first, samples.slice(from, to));
    root.dataset.heardS = ((frame + to - take.first) / take.rate).toFixed(2);
  }
  if (frame + samples.length >= take.end) finish();
}

/** The take stops going on, and the screen's lock with it; gives it, or null where none went on. */
function leaveTake(why) {
  const left = take;
  take = null;
  left?.stop?.();
  wake?.release();
  wake = null;
  if (why) left?.keeper?.leave(why);
  return left;
}

async function finish() {
  const slips = take.clock,
    report = {
      clock_slip_ms: Math.min(...slips.last) - Math.min(...slips.first),
      underruns: input.underruns - take.underruns,
      settings: take.settings()
    };
  const { keeper } = leaveTake(null);
  const ended = performance.now(),
    { attempt } = cycle;
  cycle.on("over");
  view.say = "Listening to the take …";
  const sent = keeper.end(report);
  const number = await Promise.race([sent, new Promise((resolve) => setTimeout(() => resolve(
    undefined), PATIENCE_MS))]);
  if (number === undefined) {
    cycle.on("kept", attempt);
    view.say =
      "The take is kept in this browser and is sent as soon as Thrumble answers. " +
      "Space counts in again.";
    sent.then((late) => {
      if (late !== null && cycle.on("read", attempt)) outcome(late, ended,
        attempt);
    });
  } else if (number === null) {
    cycle.on("refused", attempt);
    problem(
      "Thrumble won't take this take. It's kept in this browser: reload the page to see " +
      "what you can do with it."
    );
  } else outcome(number, ended, attempt);
}

/** Where the take's sound is: here until the server has confirmed it. */
function showSafe({ state, waitingS }) {
  const left = Math.round(waitingS);
  const kept = `Kept here, ${left} s not yet sent`;
  if (state === "away") view.safe = `${kept}: Thrumble doesn't answer, trying again.`;
  else view.safe = left >= SOON_S ? `${kept}.` : "";
}

/** Says when this browser may be too full for the take; it is played all the same, for what has
 *  arrived makes room. */
async function checkRoom(needed, rate) {
  const room = await roomSeconds(rate);
  if (room === null || room >= needed) return;
  const words = `This browser has room for ${Math.floor(room)} s of sound and this take lasts ` +
    `${Math.ceil(needed)} s. Free some disk space before you rely on it.`;
  problem(words);
}

function outcome(number, ended, attempt) {
  const place = document.createElement("div");
  $("after").replaceChildren(place);
  const seen = () => {
    const box = $("outcome");
    if (attempt === cycle.attempt && !["read", "failed"].includes(box?.dataset.state)) return;
    document.removeEventListener("htmx:afterSettle", seen);
    if (!cycle.on("read", attempt)) return;
    root.dataset.readAfterMs = Math.round(performance.now() - ended);
    view.say = "Space counts in again.";
  };
  document.addEventListener("htmx:afterSettle", seen);
  window.htmx.ajax("GET", `${root.dataset.takes}/${number}/outcome`, {
    target: place,
    swap: "outerHTML"
  });
}

function drop() {
  if (!cycle.on("drop")) return;
  leaveTake("discarded");
  show.clear();
  view.say = "Discarded. Space counts in again.";
}

// --- what is shown ---

function draw() {
  if (!take || !input.isOpen) return;
  const frame = input.context.currentTime * take.rate;
  const at = (frame - take.one) / take.rate / take.scale; // riff seconds at the written tempo
  if (at < 0) show.countIn(take, frame);
  if (at >= 0 && cycle.on("one")) {
    const round = take.rounds > 1 ? `, round ${take.rounds}` : "";
    view.say = `Recording. It stops by itself after bar ${show.lastBar}${round}.`;
  }
  if (at >= plan.begin) show.at(take, at);
  if (frame >= take.over) view.say = "Let it ring …";
  requestAnimationFrame(draw);
}

setInterval(() => {
  if (!view) return;
  const { db, words } = level.step(input.isOpen);
  view.meter = words;
  view.hot = level.clipped;
  $("meter-fill").style.height = `${((db + 60) / 60) * 100}%`;
  $("meter").setAttribute("aria-valuenow", Math.round(db));
}, METER_MS);

// the tone chosen last is chosen again, where the browser lets a page remember
try {
  const known = [...$("tone").options].map((option) => option.value);
  const kept = localStorage.getItem("tone");
  if (known.includes(kept)) $("tone").value = kept;
} catch { /* not named */ }
$("tone").addEventListener("change", () => {
  try { localStorage.setItem("tone", $("tone").value); } catch { /* for this page only */ }
});
const CUE_KEPT = "thrumble-eye-cue";
const cues = $("eye-cue");
cues.value = localStorage.getItem(CUE_KEPT) ?? cues.value;
if (cues.selectedIndex < 0) cues.selectedIndex = 0;

function keepCue() { localStorage.setItem(CUE_KEPT, cues.value); }

function nextCue() {
  cues.selectedIndex = (cues.selectedIndex + 1) % cues.options.length;
  keepCue();
}
cues.addEventListener("change", keepCue);
onKey(" ", go);
onPedal("PageDown", go);
onPedal("PageUp", drop);
onPedal("Escape", drop);
onKey("+", () => setTempo(tempo() + 2));
onKey("=", () => setTempo(tempo() + 2));
onKey("-", () => setTempo(tempo() - 2));
onKey("i", check);
onKey("f", nextCue);
onKey("a", () => $("play-again")?.click());
onKey("o", () => $("open-reading")?.click());
addEventListener("pagehide", () => {
  take?.keeper.flush();
  input.close();
});
navigator.permissions?.query({ name: "microphone" }).then((answer) => {
  if (answer.state === "granted") input.open().catch(() => input.close());
}, () => {});
