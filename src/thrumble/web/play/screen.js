// The take cycle: open the input, count in, record, stop by itself, read, arm the next round. One
// key does it; without any, the riff goes round and round, or the next take comes after a rest.

import { Refused } from "../shared/recorder.js";
import { onKey, onPedal, problem } from "../shared/site.js";
import { Backing } from "./backing.js";
import { Cycle } from "./cycle.js";
import { Input } from "./input.js";
import { Level } from "./level.js";
import { Preview } from "./preview.js";
import { Rest } from "./rest.js";
import { Run, sleptS } from "./run.js";
import { crowded, Safety } from "./safety.js";
import { Settings } from "./settings.js";
import { Show } from "./show.js";
import { alone, letGo } from "./tab.js";
import { announce, begun } from "./telling.js";
import { later, timeTake } from "./timing.js";
import { Verdicts } from "./verdicts.js";

const $ = (id) => document.getElementById(id);
const root = $("play");
const plan = JSON.parse($("plan").textContent);
const urls = { begin: root.dataset.begin, takes: root.dataset.takes };
// so long the screen waits for the server at the end of a take; the take itself waits for ever
const PATIENCE_MS = 6000;
const READY_S = 0.12; // the count-in begins no sooner than this after everything is ready
const ASLEEP_S = 4;
const WHOLE_RUN_S = 120; // of sound that the browser should have room for, where there is no end
const led = root.dataset.led === "yes"; // a session or a trial says when the next take comes

let view = null; // the page's words
let show = null;
let run = null; // the takes that are going on
let verdicts = null;
let wake = null;
const safety = new Safety();
const level = new Level();
const input = new Input(root.dataset, {
  onSound: hear,
  onLost: lost,
  onLatency: (words) => {
    view.latency = words;
  },
  onRefused: refuse,
});
const settings = new Settings(root.dataset, plan, (names) => input.load(names));
const backing = new Backing(root.dataset.backing);
const preview = new Preview({
  base: root.dataset.click,
  plan,
  settings,
  backing,
  tempo: () => tempo(),
  idle: () => ["idle", "done"].includes(cycle.stage),
});
const rest = new Rest({
  onTick: (words) => {
    view.say = words;
  },
  onOver: () => go(),
});
const cycle = new Cycle((stage) => {
  if (view) view.stage = stage;
  if (["idle", "done"].includes(stage)) letGo();
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
    part: "",
    round: false,
    tempo: $("tempo").value,
    latency: $("latency").textContent,
    get busy() {
      return !["idle", "done"].includes(this.stage);
    },
    get going() {
      return ["count", "record"].includes(this.stage);
    },
    get still() {
      return !this.going;
    },
    get dropWords() {
      return this.round ? "Stop" : "Stop and discard";
    },
    get meterClass() {
      return this.hot ? "hot" : "";
    },
    go() {
      $("go").blur();
      go();
    },
    check,
    drop,
    tempoTyped() {
      this.tempo = String(tempo());
    },
    tempoDone() {
      setTempo(tempo());
    },
    init() {
      view = this;
      show = new Show(plan, this, {
        cueMm: () => settings.cueMm,
        onBar: () => verdicts?.barLine(),
      });
    },
  }));
});

function number(id, low, high, fallback) {
  const typed = Number($(id).value);
  return typed >= low && typed <= high ? typed : fallback;
}
const tempo = () => number("tempo", 20, 400, plan.tempo);
const rounds = () => Math.round(number("rounds", 1, 50, 1));

function setTempo(bpm) {
  view.tempo = $("tempo").value = String(Math.min(400, Math.max(20, bpm)));
}

// --- input ---

/** Opens the input without playing, so that the level can be set. */
async function check() {
  if (!cycle.on("check")) return;
  problem("");
  rest.stop();
  $("after").replaceChildren();
  try {
    await input.open();
  } catch (error) {
    refuse(error);
    return;
  }
  if (!cycle.on("opened")) return;
  view.say =
    "The input is open: play a hard chord and check the level. " + "Space counts in and records.";
}

function refuse(error) {
  input.close();
  cycle.on("refused");
  problem(error instanceof Refused ? error.message : `The input doesn't open: ${error.message}`);
  view.say = "Nothing is recorded yet.";
}

function lost() {
  const going = run;
  const cut = leaveTakes("cut");
  const done = going?.done ?? 0;
  input.close();
  cycle.on("lost");
  view.say = "Space counts in and records.";
  const whole = done
    ? ` ${done === 1 ? "The pass" : `The ${done} passes`} before it ` +
      `${done === 1 ? "is" : "are"} kept and read.`
    : "";
  const waits =
    "What was recorded so far waits on Today: finish it there, or press space for a " + "new take.";
  problem(
    cut
      ? `The input was disconnected during the take. Plug it in again. ${waits}${whole}`
      : "The input was disconnected. Plug it in again, then press space.",
  );
}

function hear(frame, samples) {
  level.hear(samples);
  if (!run) return;
  const playing = run.at(frame);
  if (playing && sleptS(playing) > ASLEEP_S) {
    lost();
    problem(
      "The computer slept, or the sound stopped, in the middle of the take. What was " +
        "recorded so far waits on Today. Press space for a new take.",
    );
    return;
  }
  run.hear(frame, samples);
  if (playing?.heardS) root.dataset.heardS = playing.heardS.toFixed(2);
}

// --- the take ---

/** Space and Page Down: count in; where the riff goes round, this round is the last one. */
function press() {
  if (run && view.round && cycle.stage === "record") {
    run.last = true;
    view.say = "This pass is the last one. It stops by itself.";
  } else go();
}

async function go() {
  if (!cycle.on("go")) return;
  const attempt = cycle.attempt;
  problem("");
  rest.stop();
  preview.stop();
  settings.toggle(false);
  view.round = settings.round && !led;
  view.say = "Opening the input …";
  try {
    if (!(await alone()))
      throw new Refused("Another tab is recording. Stop it there first, then press space here.");
    await input.open();
  } catch (error) {
    if (attempt === cycle.attempt) refuse(error);
    return;
  }
  if (!input.isOpen || !cycle.on("opened", attempt)) return; // it, or the player, went away again
  $("after").replaceChildren();
  const chosen = { tempo: tempo(), rounds: rounds() };
  try {
    await begin(chosen, attempt);
  } catch (error) {
    if (attempt !== cycle.attempt) return;
    leaveTakes("discarded");
    cycle.on("drop");
    problem(
      error instanceof Refused
        ? error.message
        : `The take could not begin: ${error.message}. Reload the page and try again.`,
    );
    view.say = "Nothing is recorded yet.";
  }
}

/** Everything that is heard is at hand; from then on the take is kept. All that took a moment: the
 *  take moves on by whole frames. */
async function begin(chosen, attempt) {
  const { score, along } = await settings.ready();
  await backing.ready(input.context, along, chosen.tempo);
  if (!input.isOpen) return;
  await input.load(settings.sounds);
  if (!input.isOpen) return;
  const { context, track } = input;
  const timed = timeTake(plan, score, chosen, context.sampleRate, context.currentTime);
  const needed = view.round ? WHOLE_RUN_S : (timed.end - timed.first) / timed.rate;
  const full = await crowded(needed, timed.rate);
  if (full) problem(full);
  if (!input.isOpen || !cycle.on("begun", attempt)) return;
  const soonest = Math.round((context.currentTime + READY_S) * timed.rate);
  const take = later(timed, Math.max(0, soonest - timed.first));
  take.number = 1;
  run = new Run({
    plan,
    score,
    input,
    round: view.round,
    urls,
    told: (one) =>
      begun(one, {
        plan,
        frame: input.frame,
        track,
        tone: settings.tone,
        along: { ...along, bars_before: one.barsBefore, run: view.round ? (run?.name ?? "") : "" },
      }),
    on: {
      next,
      follows: (one) => announce("round-follows", one),
      ended,
      silent: () => stop("You stopped playing, so it stopped."),
      safe: (key, told) => {
        view.safe = safety.words(key, told);
      },
      trouble: problem,
    },
  });
  run.guitars = backing.guitars;
  run.done = 0;
  verdicts = view.round ? new Verdicts(urls.takes, (step) => faster(step, along)) : null;
  run.begin(take);
  level.clipped = false;
  announce("take-begins", take);
  view.say = "Count-in …";
  navigator.wakeLock?.request("screen").then(
    (lock) => {
      wake = lock;
    },
    () => {},
  );
  requestAnimationFrame(draw);
}

/** What goes on after a round: the riff again, as fast as the newest reading says. */
function next(take) {
  if (!view.round || run.last) return null;
  return { tempo: run.step ?? take.tempo, rounds: take.rounds };
}

function faster(bpm, along) {
  if (!run) return;
  run.step = bpm;
  backing.ready(input.context, along, bpm).catch(() => {}); // else it goes on without
}

/** A take is whole. It is sent and read; where it was the last one, the screen waits for it. */
async function ended(take) {
  const round = take.number;
  const endedMs = performance.now();
  run.done++;
  run.whole = take;
  if (take.goesOn) {
    const follows = verdicts;
    const kept = await take.sent;
    if (kept !== null) follows.follow(kept, round, endedMs);
    return;
  }
  leaveTakes(null);
  cycle.on("over");
  await finish(take, endedMs);
}

/** What is said once the last take has been read: `words` first. */
async function finish(take, endedMs, words = "") {
  const { attempt } = cycle;
  view.say = `${words} Listening to the take …`.trim();
  const patience = new Promise((go) => setTimeout(() => go(undefined), PATIENCE_MS));
  const kept = await Promise.race([take.sent, patience]);
  if (kept === undefined) {
    cycle.on("kept", attempt);
    view.say =
      "The take is kept in this browser and sent as soon as Thrumble answers. " +
      "Space counts in again.";
    take.sent.then((late) => {
      if (late !== null && cycle.on("read", attempt)) outcome(late, endedMs, attempt, words);
    });
  } else if (kept === null) {
    cycle.on("refused", attempt);
    problem(
      "Thrumble rejected this take. It's kept in this browser: reload the page to see " +
        "what you can do with it.",
    );
  } else outcome(kept, endedMs, attempt, words);
}

/** The takes stop going on, and the screen's lock with them; gives whether any went on. */
function leaveTakes(why) {
  const left = why ? (run?.leave(why) ?? false) : false;
  run = null;
  wake?.release();
  wake = null;
  return left;
}

function outcome(taken, endedMs, attempt, words) {
  const place = document.createElement("div");
  $("after").replaceChildren(place);
  const seen = () => {
    const box = $("outcome");
    if (attempt === cycle.attempt && !["read", "failed"].includes(box?.dataset.state)) return;
    document.removeEventListener("htmx:afterSettle", seen);
    if (!cycle.on("read", attempt)) return;
    root.dataset.readAfterMs = Math.round(performance.now() - endedMs);
    view.say = `${words} Space counts in again.`.trim();
    if (!led && settings.rests) rest.begin(settings.rests);
  };
  document.addEventListener("htmx:afterSettle", seen);
  window.htmx.ajax("GET", `${root.dataset.takes}/${taken}/outcome`, {
    target: place,
    swap: "outerHTML",
  });
}

/** Page Up: a round that is not whole goes, the rounds before it stay. */
function drop() {
  if (settings.open) settings.toggle(false);
  else if (rest.stop()) view.say = "Space counts in again.";
  else stop();
}

/** Ends it here: the last whole round is read, where there was one. */
function stop(words = "") {
  if (!["count", "record"].includes(cycle.stage)) {
    if (cycle.on("drop")) view.say = "Space counts in and records.";
    return;
  }
  const going = run;
  const discarded = leaveTakes("discarded");
  show.clear();
  if (!going.whole) {
    cycle.on("drop");
    view.say = `${words || "Discarded."} Space counts in again.`;
    return;
  }
  const whole =
    going.done === 1 ? "One whole pass is kept." : `${going.done} whole passes are kept.`;
  cycle.on("over");
  finish(going.whole, performance.now(), discarded ? `${words || "Stopped."} ${whole}` : whole);
}

// --- what is shown ---

function draw() {
  if (!run || !input.isOpen) return;
  const { frame } = input;
  const take = run.at(frame);
  if (!take) return;
  const at = (frame - take.one) / take.rate / take.scale; // riff seconds at the written tempo
  if (at < 0) show.countIn(take, frame);
  if (at >= 0 && cycle.on("one")) view.say = recordingWords(take);
  if (at >= plan.begin) show.at(take, at);
  if (view.round && view.tempo !== String(take.tempo) && at >= 0) setTempo(take.tempo);
  if (frame >= take.over) view.say = "Let it ring …";
  requestAnimationFrame(draw);
}

function recordingWords(take) {
  if (view.round) return "Looping. Space: last time round. Page Up: stop.";
  const round = take.rounds > 1 ? `, pass ${take.rounds}` : "";
  return `Recording. It stops by itself after bar ${show.lastBar}${round}.`;
}

level.watch(
  () => view,
  () => input.isOpen,
);

onKey(" ", press);
onPedal("PageDown", press);
onPedal("PageUp", drop);
onPedal("Escape", drop);
onKey("+", () => setTempo(tempo() + 2));
onKey("=", () => setTempo(tempo() + 2));
onKey("-", () => setTempo(tempo() - 2));
onKey("i", check);
onKey("u", () => $("upload").showModal());
onKey("w", () => $("whole").showModal());
$("whole-button").addEventListener("click", () => $("whole").showModal());
onKey("a", () => $("play-again")?.click());
onKey("o", () => $("open-reading")?.click());
addEventListener("pagehide", () => {
  run?.flush();
  input.close();
});
navigator.permissions?.query(/** @type {any} */ ({ name: "microphone" })).then(
  (answer) => {
    if (answer.state === "granted") input.open().catch(() => input.close());
  },
  () => {},
);
