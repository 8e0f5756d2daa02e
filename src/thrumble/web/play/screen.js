// The take cycle: open the input, count in, record, stop by itself, read, arm the next round. One key does it.
import { onKey, onPedal, problem } from "../shared/site.js";
import { Refused, givenSettings, oneAtATime, openInput, scheduleClicks } from "../shared/recorder.js";
import { roomSeconds } from "../shared/keep.js";
import { Cycle } from "./cycle.js";
import { Keeper } from "./keeper.js";
import { Level } from "./level.js";
import { Show } from "./show.js";
import { later, timeTake } from "./timing.js";

const $ = (id) => document.getElementById(id);
const root = $("play");
const plan = JSON.parse($("plan").textContent);
const urls = { begin: root.dataset.begin, takes: root.dataset.takes };
const PATIENCE_MS = 6000; // so long the screen waits for the server at the end of a take; the take itself waits for ever
const METER_MS = 80;
const READY_S = 0.12; // the count-in begins no sooner than this after everything is ready

let view = null; // the page's words
let show = null;
let input = null; // the open microphone with its context and clicks
let take = null; // the take that is going on: its times, its keeper, its clock
let wake = null;
const level = new Level();
const cycle = new Cycle((stage) => { if (view) view.stage = stage; });

document.addEventListener("alpine:init", () => {
  window.Alpine.data("play", () => ({
    stage: "idle", say: $("say").textContent, safe: "", meter: "–", hot: false, bar: "–", barOf: "", count: "–", cue: "", nextHead: "next",
    tempo: $("tempo").value, latency: $("latency").textContent,
    get busy() { return !["idle", "done"].includes(this.stage); },
    get going() { return ["count", "record"].includes(this.stage); },
    get still() { return !this.going; },
    get meterClass() { return this.hot ? "hot" : ""; },
    go() { $("go").blur(); go(); }, check, drop,
    tempoTyped() { this.tempo = String(tempo()); },
    tempoDone() { setTempo(tempo()); },
    init() { view = this; show = new Show(plan, this); },
  }));
});

const number = (id, low, high, fallback) => { const n = Number($(id).value); return Number.isFinite(n) && n >= low && n <= high ? n : fallback; };
const tempo = () => number("tempo", 20, 400, plan.tempo);
function setTempo(bpm) { view.tempo = $("tempo").value = String(Math.min(400, Math.max(20, bpm))); }

// --- input -----------------------------------------------------------------------------------------------------------

const open = oneAtATime(async () => {
  if (input && input.track.readyState === "live" && input.context.state === "running") return;
  close();
  input = await openInput({ deviceId: $("input").value || null, tapUrl: root.dataset.tap, clickBase: root.dataset.click, onSound: hear, onLost: lost });
  await listInputs();
  await showLatency();
});

/** Says whether takes with this input will be judged early and late. */
async function showLatency() {
  if (!input) return;
  try {
    const query = new URLSearchParams({ rate: input.context.sampleRate, device: input.track.label || "" });
    const known = await (await fetch(`${root.dataset.delay}?${query}`, { headers: { accept: "application/json" } })).json();
    view.latency = known.delay_ms === null ? `${known.words}: early and late count from your own average` : known.words;
  } catch { /* the take can be played without */ }
}

/** Opens the input without playing, so that the level can be set. */
async function check() {
  if (!cycle.on("check")) return;
  problem("");
  $("after").replaceChildren();
  try { await open(); } catch (error) { refuse(error); return; }
  if (cycle.on("opened")) view.say = "The input is open: play a hard chord and check the level. Space counts in and records.";
}

function close() { if (input) input.close(); input = null; }

async function listInputs() {
  const inputs = (await navigator.mediaDevices.enumerateDevices()).filter((d) => d.kind === "audioinput");
  if (!input) return;
  const chosen = input.track.getSettings().deviceId ?? "";
  $("input").replaceChildren(...inputs.map((d) => new Option(d.label || "input", d.deviceId, false, d.deviceId === chosen)));
  $("input-label").hidden = inputs.length < 2;
}

function refuse(error) {
  close();
  cycle.on("refused");
  problem(error instanceof Refused ? error.message : `The input does not open: ${error.message}`);
  view.say = "Nothing is recorded yet.";
}

function lost() {
  close();
  const cut = leaveTake("cut");
  cycle.on("lost");
  view.say = "Space counts in and records.";
  problem(cut
    ? "The input went away in the middle of the take. Plug it in again. What was recorded so far waits on Today: finish it there, or press space for a new take."
    : "The input went away. Plug it in again, then press space.");
}

function hear(frame, samples) {
  level.hear(samples);
  if (take) keep(frame, samples);
}

// --- the take --------------------------------------------------------------------------------------------------------

async function go() {
  if (!cycle.on("go")) return;
  const attempt = cycle.attempt;
  problem("");
  view.say = "Opening the input …";
  try { await open(); } catch (error) { if (attempt === cycle.attempt) refuse(error); return; }
  if (!input || !cycle.on("opened", attempt)) return; // it went away again, or the player did
  $("after").replaceChildren();
  const { context, track } = input;
  const chosen = { tempo: tempo(), rounds: Math.round(number("rounds", 1, 50, 1)), countBars: Number($("count-in").value), clicks: $("click-on").value === "1" };
  const timed = timeTake(plan, chosen, context.sampleRate, context.currentTime);
  await checkRoom((timed.end - timed.first) / timed.rate, timed.rate);
  if (!input || !cycle.on("begun", attempt)) return;
  take = later(timed, Math.max(0, Math.round((context.currentTime + READY_S) * timed.rate) - timed.first)); // opening took a moment
  const told = {
    key: crypto.randomUUID(), title: plan.title, beganAt: Date.now(), take: null, state: "recording", report: null, refused: null,
    begin: {
      revision: plan.revision, tempo: chosen.tempo, rounds: chosen.rounds, start_frame: timed.one - timed.first, rate: timed.rate, device: track.label || "",
      tone: Number($("tone").value) || null, zone: Intl.DateTimeFormat().resolvedOptions().timeZone,
    },
  };
  Object.assign(take, { keeper: new Keeper(told, urls, { onState: showSafe, onTrouble: problem }), clock: { first: [], last: [] }, underruns: underruns(), settings: () => givenSettings(track) });
  take.stop = scheduleClicks(input, take.clicks);
  level.clipped = false;
  window.dispatchEvent(new CustomEvent("take-begins", { detail: { firstFrame: take.first, startFrame: take.one, rate: take.rate } }));
  view.say = "Count-in …";
  navigator.wakeLock?.request("screen").then((lock) => { wake = lock; }, () => {});
  requestAnimationFrame(draw);
}

const underruns = () => input?.context.playbackStats?.underrunEvents ?? 0;

// The audio clock steps in blocks, so a single look is off by some ms; the smallest of many differences is steady.
function watchClock() {
  const difference = performance.now() - input.context.currentTime * 1000;
  if (take.clock.first.length < 25) take.clock.first.push(difference);
  take.clock.last.push(difference);
  if (take.clock.last.length > 25) take.clock.last.shift();
}

function keep(frame, samples) {
  watchClock();
  const from = Math.max(0, take.first - frame), to = Math.min(samples.length, take.end - frame);
  if (to > from) { take.keeper.add(frame + from - take.first, samples.slice(from, to)); root.dataset.heardS = ((frame + to - take.first) / take.rate).toFixed(2); }
  if (frame + samples.length >= take.end) finish();
}

/** The take stops going on, and the screen's lock with it; gives it, or null where none went on. */
function leaveTake(why) {
  const left = take;
  take = null;
  left?.stop();
  wake?.release(); wake = null;
  if (left && why) left.keeper.leave(why);
  return left;
}

async function finish() {
  const slips = take.clock, report = { clock_slip_ms: Math.min(...slips.last) - Math.min(...slips.first), underruns: underruns() - take.underruns, settings: take.settings() };
  const { keeper } = leaveTake(null);
  const ended = performance.now(), { attempt } = cycle;
  cycle.on("over");
  view.say = "Listening to the take …";
  const sent = keeper.end(report);
  const number = await Promise.race([sent, new Promise((resolve) => setTimeout(() => resolve(undefined), PATIENCE_MS))]);
  if (number === undefined) {
    cycle.on("kept", attempt);
    view.say = "The take is kept in this browser and is sent as soon as Thrumble answers. Space counts in again.";
    sent.then((late) => { if (late !== null && cycle.on("read", attempt)) outcome(late, ended, attempt); });
  } else if (number === null) {
    cycle.on("refused", attempt);
    problem("Thrumble won't take this take. It's kept in this browser: reload the page to see what you can do with it.");
  } else outcome(number, ended, attempt);
}

/** Where the take's sound is: here until the server has confirmed it. */
function showSafe({ state, waitingS }) {
  const left = Math.round(waitingS);
  view.safe = state === "away" ? `Kept here, ${left} s not yet sent: Thrumble doesn't answer, trying again.` : left >= 3 ? `Kept here, ${left} s not yet sent.` : "";
}

/** Says when this browser may be too full for the take; it is played all the same, for what has arrived makes room. */
async function checkRoom(needed, rate) {
  const room = await roomSeconds(rate);
  if (room !== null && room < needed) problem(`This browser has room for ${Math.floor(room)} s of sound and this take lasts ${Math.ceil(needed)} s. Free some disk space before you rely on it.`);
}

function outcome(number, ended, attempt) {
  const place = document.createElement("div");
  $("after").replaceChildren(place);
  const seen = () => {
    const box = $("outcome");
    if (!box || !["read", "failed"].includes(box.dataset.state)) return;
    document.removeEventListener("htmx:afterSettle", seen);
    root.dataset.readAfterMs = Math.round(performance.now() - ended);
    if (cycle.on("read", attempt)) view.say = "Space counts in again.";
  };
  document.addEventListener("htmx:afterSettle", seen);
  window.htmx.ajax("GET", `${root.dataset.takes}/${number}/outcome`, { target: place, swap: "outerHTML" });
}

function drop() {
  if (!cycle.on("drop")) return;
  leaveTake("discarded");
  show.clear();
  view.say = "Discarded. Space counts in again.";
}

// --- what is shown ---------------------------------------------------------------------------------------------------

function draw() {
  if (!take || !input) return;
  const frame = input.context.currentTime * take.rate;
  const at = (frame - take.one) / take.rate / take.scale; // riff seconds at the written tempo
  if (at < 0) show.countIn(take, frame);
  if (at >= 0 && cycle.on("one")) view.say = `Recording. It stops by itself after bar ${show.lastBar}${take.rounds > 1 ? `, round ${take.rounds}` : ""}.`;
  if (at >= plan.begin) show.at(take, at);
  if (frame >= take.over) view.say = "Let it ring …";
  requestAnimationFrame(draw);
}

setInterval(() => {
  if (!view) return;
  const { db, words } = level.step(input !== null);
  view.meter = words; view.hot = level.clipped;
  $("meter-fill").style.height = `${((db + 60) / 60) * 100}%`;
  $("meter").setAttribute("aria-valuenow", Math.round(db));
}, METER_MS);

try { const kept = localStorage.getItem("tone"); if (kept && $("tone").querySelector(`option[value="${CSS.escape(kept)}"]`)) $("tone").value = kept; } catch { /* not named */ }
$("tone").addEventListener("change", () => { try { localStorage.setItem("tone", $("tone").value); } catch { /* for this page only */ } });
$("input").addEventListener("change", () => open().catch(() => {}).then(() => { close(); return open(); }).catch(refuse));
onKey(" ", go); onPedal("PageDown", go);
onPedal("PageUp", drop); onPedal("Escape", drop);
onKey("+", () => setTempo(tempo() + 2)); onKey("=", () => setTempo(tempo() + 2)); onKey("-", () => setTempo(tempo() - 2));
onKey("i", check);
onKey("o", () => $("open-reading")?.click());
addEventListener("pagehide", () => { take?.keeper.flush(); close(); });
navigator.permissions?.query({ name: "microphone" }).then((p) => { if (p.state === "granted") open().catch(() => { close(); }); }, () => {});
