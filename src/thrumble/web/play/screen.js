// The take cycle: open the input, count in, record, stop by itself, read, arm the next round. One key does it.
import { onKey, onPedal, problem } from "../shared/site.js";
import { Refused, givenSettings, oneAtATime, openInput, scheduleClicks } from "../shared/recorder.js";
import { roomSeconds } from "../shared/keep.js";
import { Keeper } from "./keeper.js";

const plan = JSON.parse(document.getElementById("plan").textContent);
const $ = (id) => document.getElementById(id);
const root = $("play");
const drawings = new Map([...$("all-bars").children].map((svg) => [Number(svg.dataset.bar), svg]));

let input = null;      // the open microphone with its context and clicks
let run = null;        // the take that is going on
let wake = null;
const level = { peak: 0, clipped: false, quietSince: performance.now() };

const urls = { begin: root.dataset.begin, takes: root.dataset.takes };
const PATIENCE_MS = 6000; // so long the screen waits for the server at the end of a take; the take itself waits for ever

const say = (words) => { $("say").textContent = words; };
const stage = (name) => { root.dataset.stage = name; $("drop").hidden = !["count", "record"].includes(name); $("go").disabled = !["idle", "done"].includes(name); };
const number = (id, low, high, fallback) => { const n = Number($(id).value); return Number.isFinite(n) && n >= low && n <= high ? n : fallback; };
const tempo = () => number("tempo", 20, 400, plan.tempo);

// --- input -----------------------------------------------------------------------------------------------------------

const open = oneAtATime(async () => {
  if (input && input.track.readyState === "live" && input.context.state === "running") return;
  close();
  input = await openInput({ deviceId: $("input").value || null, tapUrl: root.dataset.tap, clickBase: root.dataset.click, onSound: hear, onLost: lost });
  await listInputs();
  await showDelay();
});

/** Says whether takes with this input will be judged early and late. */
async function showDelay() {
  try {
    const query = new URLSearchParams({ rate: input.context.sampleRate, device: input.track.label || "" });
    const known = await (await fetch(`${root.dataset.delay}?${query}`, { headers: { accept: "application/json" } })).json();
    $("delay-text").firstElementChild.textContent = known.delay_ms === null ? `${known.words}: early and late count from your own average` : known.words;
  } catch { /* the take can be played without */ }
}

/** Opens the input without playing, so that the level can be set. */
async function check() {
  if (!["idle", "done"].includes(root.dataset.stage)) return;
  problem("");
  stage("idle"); $("after").replaceChildren();
  try { await open(); say("The input is open: play a hard chord and check the level. Space counts in and records."); } catch (error) { refuse(error); }
}

function close() { if (input) input.close(); input = null; }

async function listInputs() {
  const inputs = (await navigator.mediaDevices.enumerateDevices()).filter((d) => d.kind === "audioinput");
  if (!input) return;
  const chosen = input.track.getSettings().deviceId ?? "";
  $("input").replaceChildren(...inputs.map((d) => new Option(d.label || "input", d.deviceId, false, d.deviceId === chosen)));
  $("input-label").hidden = inputs.length < 2;
}
$("input").addEventListener("change", () => open().catch(() => {}).then(() => { close(); return open(); }).catch(refuse));

function refuse(error) {
  close(); stage("idle");
  problem(error instanceof Refused ? error.message : `The input does not open: ${error.message}`);
  say("Nothing is recorded yet.");
}

function lost() {
  close();
  if (run) cutOff("The input went away in the middle of the take. Plug it in again.");
  else problem("The input went away. Plug it in again, then press space.");
}

function hear(frame, samples) {
  let peak = 0;
  for (const s of samples) { const size = Math.abs(s); if (size > peak) peak = size; }
  if (peak > level.peak) level.peak = peak;
  if (peak >= 0.999) level.clipped = true;
  if (peak > 0.003) level.quietSince = performance.now();
  if (run) keep(frame, samples);
}

// --- the take --------------------------------------------------------------------------------------------------------

async function go() {
  if (!["idle", "done"].includes(root.dataset.stage)) return;
  problem("");
  stage("opening"); say("Opening the input …");
  try { await open(); } catch (error) { refuse(error); return; }
  $("after").replaceChildren();
  const scale = plan.tempo / tempo();
  const rate = input.context.sampleRate;
  const frames = (seconds) => Math.round(seconds * scale * rate);
  const rounds = Math.round(number("rounds", 1, 50, 1));
  const countBars = Number($("count-in").value);
  const first = Math.round((input.context.currentTime + 0.35) * rate);     // the take's first frame: the count-in's first click
  const one = first + countBars * frames(plan.countBar);                   // bar 1 beat 1
  const over = one + rounds * frames(plan.round);
  const end = over + Math.round(Math.max(plan.ringOutLeast, plan.ringOut * scale) * rate);
  const list = [];
  for (let k = 0; k < countBars; k++) for (const [t, accent] of plan.count) list.push([first + k * frames(plan.countBar) + frames(t), accent]);
  if ($("click-on").value === "1") for (let n = 0; n < rounds; n++) for (const [t, accent] of plan.clicks) list.push([one + n * frames(plan.round) + frames(t), accent]);
  await checkRoom((end - first) / rate, rate);
  // opening took a moment: everything moves on by a whole number of frames, nothing of the plan changes
  const late = Math.max(0, Math.round((input.context.currentTime + 0.12) * rate) - first);
  const take = {
    key: crypto.randomUUID(), title: plan.title, beganAt: Date.now(), take: null, state: "recording", report: null, refused: null,
    begin: { revision: plan.revision, tempo: tempo(), rounds, start_frame: one - first, rate, device: input.track.label || "", tone: Number($("tone").value) || null, zone: Intl.DateTimeFormat().resolvedOptions().timeZone },
  };
  run = {
    rate, rounds, scale, first: first + late, one: one + late, over: over + late, end: end + late,
    keeper: new Keeper(take, urls, { onState: showSafe, onTrouble: problem }), heard: 0,
    clock: { first: [], last: [] }, underruns: underruns(), stop: null, beats: list.filter(([f]) => f < one).map(([f]) => f + late),
  };
  run.stop = scheduleClicks(input, list.map(([f, a]) => [f + late, a]));
  level.clipped = false;
  window.dispatchEvent(new CustomEvent("take-begins", { detail: { firstFrame: run.first, startFrame: run.one, rate } }));
  stage("count"); say("Count-in …");
  navigator.wakeLock?.request("screen").then((lock) => { wake = lock; }, () => {});
  requestAnimationFrame(show);
}

const underruns = () => input.context.playbackStats?.underrunEvents ?? 0;

// The audio clock steps in blocks, so a single look is off by some ms; the smallest of many differences is steady.
function watchClock() {
  const difference = performance.now() - input.context.currentTime * 1000;
  if (run.clock.first.length < 25) run.clock.first.push(difference);
  run.clock.last.push(difference);
  if (run.clock.last.length > 25) run.clock.last.shift();
}

function keep(frame, samples) {
  watchClock();
  const from = Math.max(0, run.first - frame), to = Math.min(samples.length, run.end - frame);
  if (to > from) { run.keeper.add(frame + from - run.first, samples.slice(from, to)); run.heard = frame + to; root.dataset.heardS = ((run.heard - run.first) / run.rate).toFixed(2); }
  if (frame + samples.length >= run.end) finish();
}

async function finish() {
  const done = run;
  run = null;
  const report = {
    clock_slip_ms: Math.min(...done.clock.last) - Math.min(...done.clock.first), underruns: underruns() - done.underruns, settings: givenSettings(input.track),
  };
  const ended = performance.now();
  done.stop(); rest();
  stage("reading"); say("Listening to the take …");
  const sent = done.keeper.end(report);
  const take = await Promise.race([sent, new Promise((go) => setTimeout(() => go(undefined), PATIENCE_MS))]);
  if (take === undefined) {
    stage("done"); say("The take is kept in this browser and is sent as soon as Thrumble answers. Space counts in again.");
    sent.then((late) => { if (late !== null && root.dataset.stage === "done") outcome(late, ended); });
    return;
  }
  if (take === null) { stage("done"); problem("Thrumble won't take this take. It's kept in this browser: reload the page to see what you can do with it."); return; }
  await outcome(take, ended);
}

/** Where the take's sound is: here until the server has confirmed it. */
function showSafe({ state, waitingS }) {
  const left = Math.round(waitingS);
  const words = state === "away" ? `Kept here, ${left} s not yet sent: Thrumble doesn't answer, trying again.` : left >= 3 ? `Kept here, ${left} s not yet sent.` : "";
  if ($("safe").textContent !== words) $("safe").textContent = words;
}

/** Says when this browser may be too full for the take; it is played all the same, for what has arrived makes room. */
async function checkRoom(needed, rate) {
  const room = await roomSeconds(rate);
  if (room !== null && room < needed) problem(`This browser has room for ${Math.floor(room)} s of sound and this take lasts ${Math.ceil(needed)} s. Free some disk space before you rely on it.`);
}

async function outcome(take, ended) {
  const place = document.createElement("div");
  $("after").replaceChildren(place);
  const seen = () => {
    const box = $("outcome");
    if (!box || !["read", "failed"].includes(box.dataset.state)) return;
    document.removeEventListener("htmx:afterSettle", seen);
    stage("done");
    root.dataset.readAfterMs = Math.round(performance.now() - ended);
    say("Space counts in again.");
  };
  document.addEventListener("htmx:afterSettle", seen);
  window.htmx.ajax("GET", `${root.dataset.takes}/${take}/outcome`, { target: place, swap: "outerHTML" });
}

function drop() {
  if (!run) return;
  const dropped = run;
  run = null; dropped.stop(); rest(); stage("idle"); clearShow();
  say("Discarded. Space counts in again.");
  dropped.keeper.leave("discarded");
}

function cutOff(words) {
  const cut = run;
  run = null; cut.stop(); rest(); stage("idle");
  cut.keeper.leave("cut");
  problem(`${words} What was recorded so far waits on Today: finish it there, or press space for a new take.`);
}

function rest() { wake?.release(); wake = null; }

// --- what is shown ---------------------------------------------------------------------------------------------------

let shown = { bar: null, slot: null };

function clearShow() {
  shown = { bar: null, slot: null };
  $("bar-shown").textContent = "–"; $("count-shown").textContent = "–"; $("cue").textContent = "";
  preview();
}

function show() {
  if (!run || !input) return;
  const frame = input.context.currentTime * run.rate;
  const at = (frame - run.one) / run.rate / run.scale;      // riff seconds at the written tempo
  const round = Math.min(run.rounds - 1, Math.max(0, Math.floor(at / plan.round)));
  const inRound = at - round * plan.round;
  if (at < 0) countIn(frame);
  if (at >= plan.begin) { if (at >= 0 && root.dataset.stage === "count") { stage("record"); say(`Recording. It stops by itself after bar ${plan.bars.at(-1).number}${run.rounds > 1 ? `, round ${run.rounds}` : ""}.`); } barAt(inRound, round); }
  if (frame >= run.over && root.dataset.stage === "record") say("Let it ring …");
  requestAnimationFrame(show);
}

function countIn(frame) {
  const beat = run.beats.findLastIndex((f) => f <= frame);
  const per = plan.count.length;
  $("count-shown").textContent = beat < 0 ? "–" : String((beat % per) + 1);
  if (shown.bar === null) preview();
}

function barAt(seconds, round) {
  const index = Math.max(0, plan.bars.findLastIndex((b) => b.start <= seconds));
  const bar = plan.bars[index];
  const key = `${round}-${index}`;
  if (shown.bar !== key) {
    shown.bar = key; shown.slot = null;
    place($("now"), bar);
    const following = plan.bars[index + 1] ?? (round + 1 < run.rounds ? plan.bars.find((b) => b.number >= 1) : null);
    place($("next"), following);
    $("next-head").textContent = following ? "next" : "last bar";
    $("bar-shown").textContent = bar.number === 0 ? "–" : String(bar.number);
    $("bar-of").textContent = `of ${plan.bars.at(-1).number}${run.rounds > 1 ? `, round ${round + 1} of ${run.rounds}` : ""}`;
    $("cue").textContent = bar.cue;
    for (const box of $("progress").children) box.className = Number(box.dataset.index) < index ? "past" : Number(box.dataset.index) === index ? "here" : "";
  }
  const inside = seconds - bar.start;
  const counts = $("now").querySelectorAll(".count");
  $("now").querySelectorAll(".slot").forEach((slot, index) => {
    const on = inside >= Number(slot.dataset.from) && inside < Number(slot.dataset.to);
    slot.classList.toggle("on", on); counts[index].classList.toggle("on", on);
  });
  $("count-shown").textContent = String(Math.min(bar.beats, Math.floor(inside / ((bar.end - bar.start) / bar.beats)) + 1));
}

function place(where, bar) {
  where.replaceChildren();
  if (bar) where.append(drawings.get(bar.number).cloneNode(true));
}

function preview() {
  place($("now"), plan.bars[0]); place($("next"), plan.bars[1] ?? null);
  $("cue").textContent = "";
  $("bar-of").textContent = `of ${plan.bars.at(-1).number}`;
}

function meter() {
  const db = level.peak > 0 ? Math.max(-60, 20 * Math.log10(level.peak)) : -60;
  level.peak *= 0.8;
  const open = input !== null;
  $("meter-fill").style.height = open ? `${((db + 60) / 60) * 100}%` : "0";
  $("meter").setAttribute("aria-valuenow", Math.round(db));
  $("meter").classList.toggle("hot", level.clipped);
  const quiet = open && performance.now() - level.quietSince > 4000;
  $("meter-text").textContent = !open ? "input closed" : level.clipped ? "too loud: turn it down" : quiet ? "no signal: check cable and input" : `${Math.round(db)} dB`;
}
setInterval(meter, 80);

$("progress").replaceChildren(...plan.bars.map((_, k) => { const box = document.createElement("i"); box.dataset.index = k; return box; }));
function setTempo(bpm) { $("tempo").value = Math.min(400, Math.max(20, bpm)); $("tempo-shown").textContent = $("tempo").value; }
$("tempo").addEventListener("input", () => { $("tempo-shown").textContent = tempo(); });
$("tempo").addEventListener("change", () => setTempo(tempo()));
$("go").addEventListener("click", (event) => { event.currentTarget.blur(); go(); });
$("drop").addEventListener("click", drop);
try { const kept = localStorage.getItem("tone"); if (kept && $("tone").querySelector(`option[value="${CSS.escape(kept)}"]`)) $("tone").value = kept; } catch { /* not named */ }
$("tone").addEventListener("change", () => { try { localStorage.setItem("tone", $("tone").value); } catch { /* for this page only */ } });
onKey(" ", go);
onPedal("PageDown", go);
onPedal("PageUp", drop);
onPedal("Escape", drop);
onKey("+", () => setTempo(tempo() + 2)); onKey("=", () => setTempo(tempo() + 2)); onKey("-", () => setTempo(tempo() - 2));
$("check").addEventListener("click", check);
onKey("i", check);
onKey("o", () => $("open-reading")?.click());
addEventListener("pagehide", () => { if (run) run.keeper.flush(); close(); });
preview();
navigator.permissions?.query({ name: "microphone" }).then((p) => { if (p.state === "granted") open().catch(() => { close(); }); }, () => {});
