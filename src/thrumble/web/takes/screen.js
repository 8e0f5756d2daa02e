// A take's result: what to play next, its sound in the strip, its errors one by one, corrections.
import { onKey, onPedal, problem, send } from "../shared/site.js";
import { errorsOf, point } from "./errors.js";
import { finishWhole } from "./finish.js";
import { stripPlayer } from "./player.js";
import { zoomOf } from "./zoom.js";

const again = document.getElementById("play-again");
if (again) {
  onKey(" ", () => again.click());
  onPedal("PageDown", () => again.click());
}
onKey("a", () => {
  const others = document.getElementById("others");
  if (others) others.open = !others.open;
});

// the mark that an explanation is about stands out in the strip
for (const button of document.querySelectorAll("[data-mark]")) {
  button.addEventListener("click", () => point([button.dataset.mark], true));
}

let current = null; // the hit last listened to
const player = document.getElementById("sound")
  ? stripPlayer((hit) => {
      current = hit;
    })
  : null;
finishWhole();
const zoom = zoomOf();
errorsOf(
  player,
  (hit) => {
    current = hit;
  },
  zoom.look,
);

// --- corrections: what the player says a hit was ---

document.addEventListener("click", (event) => {
  const from = event.target.closest("[data-hit]");
  if (from) current = from.dataset.hit;
});

async function correct(mark, kind) {
  const row = document.getElementById(`hit-${mark}`);
  const choice = row?.querySelector(".really");
  if (!choice) return;
  problem("");
  const before = [...choice.options].find((o) => o.defaultSelected)?.value ?? "none";
  const body = new URLSearchParams({
    articulation: kind,
    join: document.getElementById("join")?.checked ? "true" : "false",
  });
  try {
    const html = await (
      await send(`${document.getElementById("hits").dataset.correct}/${mark}/correct`, { body })
    ).text();
    const answer = new DOMParser().parseFromString(html, "text/html");
    row.replaceWith(
      document.adoptNode(answer.querySelector("template").content).querySelector("tr"),
    );
    for (const part of ["corrected", "verdict", "clean", "stepper", "found"]) {
      const fresh = answer.getElementById(part);
      if (fresh) document.getElementById(part)?.replaceWith(document.adoptNode(fresh));
    }
    const stepper = document.getElementById("stepper");
    if (stepper) window.htmx.process(stepper);
    for (const block of document.querySelectorAll(`.block.take[data-hit="${mark}"]`))
      block.classList.toggle("said-otherwise", kind !== "none");
  } catch (error) {
    choice.value = before;
    problem(error.message);
  }
}
document.addEventListener("change", (event) => {
  if (event.target.matches(".really")) correct(event.target.dataset.hit, event.target.value);
});
for (const [key, kind] of [
  ["1", "open"],
  ["2", "palm"],
  ["3", "dead"],
  ["0", "none"],
])
  onKey(key, () => {
    if (current) correct(current, kind);
  });
