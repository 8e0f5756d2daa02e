// A fair trial played turn by turn: which way is on now in large letters, a rest, a take, its
// reading, the next turn.
import { problem, send } from "../shared/site.js";
import { HandsFree } from "./handsfree.js";

const $ = (id) => document.getElementById(id);
const bar = $("trial");
const FIRST_S = 12; // to take up the way
const BETWEEN_S = 15;
let turn = Number(bar.dataset.turn);

const free = new HandsFree({
  say(words) {
    $("trial-say").textContent = words;
  },
  over: keep,
  skip() {
    location.assign(bar.dataset.page);
  },
  shown() {
    $("trial-now").hidden = free?.going ?? false;
  },
});
free.between = BETWEEN_S;

/** The take is the turn's; the next way comes, or the answer. */
async function keep() {
  const take = Number($("outcome")?.dataset.take);
  if (!take) {
    free.hold("This take hasn't reached Thrumble yet. Press space to play this turn again.");
    return;
  }
  try {
    const answer = await send(bar.dataset.keep, {
      body: JSON.stringify({ turn, take }),
      headers: { "content-type": "application/json" },
    });
    const next = await answer.json();
    if (next.turn === null) {
      location.assign(bar.dataset.page);
      return;
    }
    ({ turn } = next);
    const same = $("trial-letter").textContent === next.letter;
    $("trial-way").textContent = next.way;
    $("trial-letter").textContent = next.letter;
    $("trial-place").textContent = next.place;
    const what = same ? "play it this way once more" : "switch to this way";
    free.count(BETWEEN_S, `Shake out, then ${what}. Recording starts by itself.`, free.play);
  } catch (error) {
    problem(error.message);
    free.hold("The trial is paused. Press space to try again.", keep);
  }
}

$("trial-now").addEventListener("click", () => {
  $("trial-now").blur();
  free.goOn();
});
document.addEventListener("alpine:initialized", () => {
  $("rounds").value = bar.dataset.rounds;
  free.count(FIRST_S, "Play it this way. Recording starts by itself.", free.play);
});
