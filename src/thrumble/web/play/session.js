// The session played through: takes as fast as their readings say until the block's minutes are
// over, then the next block's page.
import { problem, send } from "../shared/site.js";
import { HandsFree } from "./handsfree.js";

const $ = (id) => document.getElementById(id);
const bar = $("session");
const BETWEEN_S = 8; // between two takes, where nothing else is asked
const FIRST_S = 6; // to get ready on a new page
const TAKE_S = 30; // a take is about so long: a short riff goes round several times
const MAX_ROUNDS = 8;
const KEPT = `session-${bar.dataset.day}-${bar.dataset.block}`;

let begunMs = null; // of the block's first take, on the page's clock
const minutes = Number(bar.dataset.minutes);
const plan = JSON.parse($("plan").textContent);

const spentS = () => (begunMs === null ? Number(kept()) : (performance.now() - begunMs) / 1000);
const leftS = () => Math.max(0, minutes * 60 - spentS());
const clock = (s) => `${Math.floor(s / 60)}:${String(Math.floor(s % 60)).padStart(2, "0")}`;

function kept() {
  try {
    return sessionStorage.getItem(KEPT) ?? 0;
  } catch {
    return 0;
  }
}
function keep() {
  try {
    sessionStorage.setItem(KEPT, String(spentS()));
  } catch {
    /* this page only */
  }
}

const free = new HandsFree({
  say(words) {
    $("session-say").textContent = words;
  },
  over: next,
  skip: () => leave("skipped"),
  shown() {
    $("session-left").textContent = clock(leftS());
    for (const id of ["session-now", "session-skip"]) $(id).hidden = free?.going ?? false;
  },
});
free.between = Number(bar.dataset.rest) || BETWEEN_S;

function play() {
  if (begunMs === null) begunMs = performance.now() - 1000 * spentS();
  free.play();
}

/** The block is over: on to the next one, or to Today where there is none. */
async function leave(state) {
  free.stop();
  free.say("On to the next block …");
  try {
    const answer = await send(bar.dataset.end, {
      body: JSON.stringify({ state }),
      headers: { "content-type": "application/json" },
    });
    const { href, stop } = await answer.json();
    location.assign(stop || !href ? `${bar.dataset.today}?played=yes` : href);
  } catch (error) {
    problem(error.message);
    free.hold("The next block waits. Space tries again.", () => leave(state));
  }
}

/** After a take: the next one as fast as its reading says, unless the block's time is over. */
function next() {
  keep();
  const takeS =
    plan.round * (Number($("rounds").value) || 1) * (plan.tempo / Number($("tempo").value));
  if (leftS() < takeS / 2) {
    free.count(FIRST_S, "That's this block. Read the result; the next one starts by itself.", () =>
      leave("done"),
    );
    return;
  }
  const step = $("outcome")?.dataset.step;
  if (step && bar.dataset.follows === "yes") {
    $("tempo").value = step;
    $("tempo").dispatchEvent(new Event("change"));
  }
  setRounds();
  free.count(
    free.between,
    "Shake out your hands. The next take starts by itself; Page Up: next block.",
    play,
  );
}

function setRounds() {
  const roundS = plan.round * (plan.tempo / Number($("tempo").value));
  const wanted = Math.min(Number(bar.dataset.work) || TAKE_S, leftS());
  $("rounds").value = Math.min(MAX_ROUNDS, Math.max(1, Math.round(wanted / roundS)));
}

const choices = { "session-skip": () => leave("skipped"), "session-now": () => free.goOn() };
for (const [id, run] of Object.entries(choices)) {
  $(id).addEventListener("click", () => {
    $(id).blur();
    run();
  });
}

document.addEventListener("alpine:initialized", () => {
  setRounds();
  const pause = Number(bar.dataset.before);
  free.count(
    Math.max(FIRST_S, pause),
    pause ? `Rest: ${bar.dataset.restWords}.` : "Get ready. Recording starts by itself.",
    play,
  );
});
