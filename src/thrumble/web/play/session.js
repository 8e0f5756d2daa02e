// The session played through without touching anything: a rest with a countdown, a take, its
// reading, the next take as fast as that says, until the block's minutes are over; then the next
// block's page.
import { onKey, onPedal, problem, send } from "../shared/site.js";

const $ = (id) => document.getElementById(id);
const root = $("play");
const bar = $("session");
const BETWEEN_S = 8; // between two takes, where nothing else is asked
const FIRST_S = 6; // to get ready on a new page
const TAKE_S = 30; // a take is about so long: a short riff goes round several times
const MOST_ROUNDS = 8;
const TICK_MS = 200;
const KEPT = `session-${bar.dataset.day}-${bar.dataset.block}`;

let begunMs = null; // of the block's first take, on the page's clock
let until = null; // what the countdown counts to
let after = null; // what comes then
let held = false; // the player has stopped the session
const minutes = Number(bar.dataset.minutes);
const between = Number(bar.dataset.rest) || BETWEEN_S;
const plan = JSON.parse($("plan").textContent);

const spentS = () =>
  (begunMs === null ? Number(kept()) : (performance.now() - begunMs) / 1000);
const leftS = () => Math.max(0, minutes * 60 - spentS());
const clock = (s) => `${Math.floor(s / 60)}:${String(Math.floor(s % 60)).padStart(2, "0")}`;

function tell(words) { $("session-say").textContent = words; }

function show() {
  const counting = until !== null && !held;
  $("session-left").textContent = clock(leftS());
  const rest = counting ? Math.max(0, Math.ceil((until - performance.now()) / 1000)) : 0;
  $("session-rest").textContent = counting ? String(rest) : "";
  bar.dataset.counting = counting ? "yes" : "no";
  for (const id of ["session-now", "session-skip"]) $(id).hidden = going();
}

/** Counts down, then does what comes after. */
function count(seconds, words, then) {
  until = performance.now() + seconds * 1000;
  after = then;
  held = false;
  tell(words);
  show();
}

function now() {
  const then = after;
  until = null;
  after = null;
  show();
  then?.();
}

function play() {
  if (begunMs === null) begunMs = performance.now() - 1000 * spentS();
  tell("Page Up stops this take and plays it again.");
  $("go").click();
}

function kept() { try { return sessionStorage.getItem(KEPT) ?? 0; } catch { return 0; } }
function keep() { try { sessionStorage.setItem(KEPT, spentS()); } catch { /* this page only */ } }

/** The block is over: on to the next one, or to Today where there is none. */
async function leave(state) {
  until = null;
  after = null;
  tell("On to the next block …");
  try {
    const answer = await send(bar.dataset.end, {
      body: JSON.stringify({ state }), headers: { "content-type": "application/json" },
    });
    const { href, stop } = await answer.json();
    location.assign(stop || !href ? `${bar.dataset.today}?played=yes` : href);
  } catch (error) {
    problem(error.message);
    hold("The next block waits. Space tries again.");
    after = () => leave(state);
  }
}

function hold(words) {
  held = true;
  until = null;
  tell(words);
  show();
}

/** After a take: the next one as fast as its reading says, unless the block's time is over. */
function next(stage) {
  keep();
  const takeS = plan.round * rounds() * (plan.tempo / Number($("tempo").value));
  if (leftS() < takeS / 2) {
    count(FIRST_S, "That's this block. Read what it says; the next one comes by itself.",
      () => leave("done"));
    return;
  }
  const step = document.getElementById("outcome")?.dataset.step;
  if (stage === "done" && step && bar.dataset.follows === "yes") {
    $("tempo").value = step;
    $("tempo").dispatchEvent(new Event("change"));
  }
  setRounds();
  count(between, "Shake out. The next take comes by itself; Page Up goes on to the next block.",
    play);
}

function rounds() { return Number($("rounds").value) || 1; }

function setRounds() {
  const roundS = plan.round * (plan.tempo / Number($("tempo").value));
  const wanted = Math.min(Number(bar.dataset.work) || TAKE_S, leftS());
  $("rounds").value = Math.min(MOST_ROUNDS, Math.max(1, Math.round(wanted / roundS)));
}

let stage = root.dataset.stage;
let dropped = false;
new MutationObserver(() => {
  const was = stage;
  stage = root.dataset.stage;
  if (stage === was || held) return;
  if (stage === "done") next(stage);
  else if (stage === "idle" && ["count", "record", "arming"].includes(was)) {
    if (dropped) count(between, "Once more: the take comes by itself.", play);
    else hold("The session waits. Space goes on.");
  } else if (stage === "idle" && was === "opening") hold("The session waits. Space goes on.");
  dropped = false;
}).observe(root, { attributeFilter: ["data-stage"] });

const going = () => ["opening", "arming", "count", "record", "reading"].includes(stage);

/** Page Up: during a take once more, between takes on to the next block. */
function up() {
  if (["count", "record", "arming"].includes(stage)) {
    dropped = true;
    $("drop").click();
  } else if (!going()) leave("skipped");
}

/** Space and Page Down: at once what the countdown counts to; goes on where the session waits. */
function down() {
  if (going()) return;
  if (held && after === null) after = play;
  held = false;
  now();
}

onPedal("PageUp", up);
onPedal("PageDown", down);
onKey(" ", down);
onPedal("Escape", () => {
  if (["count", "record", "arming"].includes(stage)) $("drop").click();
  hold("The session waits. Space goes on.");
});
for (const [id, run] of [["session-skip", () => leave("skipped")], ["session-now", down]]) {
  $(id).addEventListener("click", () => {
    $(id).blur();
    run();
  });
}

setInterval(() => {
  show();
  if (until !== null && !held && performance.now() >= until) now();
}, TICK_MS);

document.addEventListener("alpine:initialized", () => {
  setRounds();
  const pause = Number(bar.dataset.before);
  count(Math.max(FIRST_S, pause),
    pause ? `Rest: ${bar.dataset.restWords}.` : "Get ready. The take comes by itself.", play);
});
