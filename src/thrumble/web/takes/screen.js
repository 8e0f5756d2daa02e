// Listening to a take from any hit, with the click and at half speed.
import { onKey, onPedal, problem, send } from "../shared/site.js";

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
  button.addEventListener("click", () => {
    const strip = document.getElementById("strip");
    for (const old of strip.querySelectorAll(".pointed")) old.classList.remove("pointed");
    const shapes = strip.querySelectorAll(`[data-hit="${button.dataset.mark}"]`);
    for (const shape of shapes) shape.classList.add("pointed");
    shapes[0]?.scrollIntoView({ block: "center" });
  });
}

let current = null; // the hit last listened to
const sound = document.getElementById("sound");
if (sound) {
  const buttons = [...document.querySelectorAll(".from")];
  const from = new Map(buttons.map((b) => [b.dataset.hit, Number(b.dataset.from)]));
  const times = [...new Set(from.values())].sort((a, b) => a - b);
  const half = document.getElementById("half");
  const click = document.getElementById("with-click");
  const LEAD = 0.06;

  const { plain } = document.getElementById("listen").dataset;
  let wanted = plain,
    loading = null,
    asked = 0;

  /** Only in a sound that is here whole can be jumped about; each is fetched once. */
  function whole() {
    if (loading?.url !== wanted) loading = { url: wanted, done: load(wanted) };
    return loading.done;
  }

  async function load(url) {
    try {
      const answer = await fetch(url);
      if (!answer.ok) throw new Error("This audio can't be played. Analyse the take again.");
      const blob = await answer.blob();
      if (loading.url !== url) return; // another one is wanted by now
      await new Promise((resolve) => {
        sound.addEventListener("loadedmetadata", resolve, { once: true });
        sound.src = URL.createObjectURL(blob);
      });
    } catch (error) {
      if (loading.url === url) loading = null; // the next press tries again
      throw error;
    }
  }

  /** Puts the sound where it was asked for last: a press while it still loads counts, not the one
      before. */
  async function put(seconds, playing) {
    const mine = ++asked;
    try {
      await whole();
      if (mine !== asked) return;
      sound.currentTime = seconds;
      if (playing) await sound.play();
    } catch (error) {
      if (error.name !== "AbortError") problem(error.message);
    }
  }
  const listenFrom = (seconds) => put(Math.max(0, seconds - LEAD), true);

  function setSpeed() {
    sound.preservesPitch = true;
    sound.playbackRate = half.getAttribute("aria-pressed") === "true" ? 0.5 : 1;
  }
  sound.addEventListener("loadedmetadata", setSpeed); // loading puts the speed back to 1
  function toggleHalf() {
    const on = half.getAttribute("aria-pressed") !== "true";
    half.setAttribute("aria-pressed", on);
    setSpeed();
  }

  function toggleClick() {
    const on = click.getAttribute("aria-pressed") !== "true";
    click.setAttribute("aria-pressed", on);
    wanted = plain + (on ? "?click=true" : "");
    put(sound.currentTime, !sound.paused);
  }

  function step(way) {
    const now = sound.currentTime + LEAD;
    const next =
      way > 0 ? times.find((t) => t > now + 0.02) : times.findLast((t) => t < now - 0.15);
    if (next !== undefined) {
      current = [...from].find(([, t]) => t === next)[0];
      listenFrom(next);
    }
  }

  half.addEventListener("click", toggleHalf);
  click.addEventListener("click", toggleClick);
  document.addEventListener("click", (event) => {
    const button = event.target.closest(".from");
    if (button) listenFrom(Number(button.dataset.from));
  });
  for (const block of document.querySelectorAll(".block[data-hit]")) {
    if (from.has(block.dataset.hit))
      block.addEventListener("click", () => listenFrom(from.get(block.dataset.hit)));
  }
  onKey("l", () => (sound.paused ? sound.play() : sound.pause()));
  onKey("h", toggleHalf);
  onKey("c", toggleClick);
  onKey("ArrowRight", () => step(1));
  onKey("ArrowLeft", () => step(-1));

  let marked = [];

  function follow() {
    const now = sound.currentTime;
    const hit = [...from].findLast(([, t]) => t <= now + 0.01);
    for (const block of marked) block.classList.remove("sounding");
    marked =
      hit && !sound.paused ? [...document.querySelectorAll(`.block[data-hit="${hit[0]}"]`)] : [];
    for (const block of marked) block.classList.add("sounding");
    if (!sound.paused) requestAnimationFrame(follow);
  }
  sound.addEventListener("play", follow);
}

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
    for (const part of ["corrected", "verdict", "clean"]) {
      document.getElementById(part)?.replaceWith(document.adoptNode(answer.getElementById(part)));
    }
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
