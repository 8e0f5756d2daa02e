// Listening to a take from any hit, with the click and at half speed.
import { onKey, onPedal } from "../shared/site.js";

const again = document.getElementById("play-again");
if (again) { onKey(" ", () => again.click()); onPedal("PageDown", () => again.click()); }

const sound = document.getElementById("sound");
if (sound) {
  const buttons = [...document.querySelectorAll(".from")];
  const from = new Map(buttons.map((b) => [b.dataset.hit, Number(b.dataset.from)]));
  const times = [...new Set(from.values())].sort((a, b) => a - b);
  const half = document.getElementById("half");
  const click = document.getElementById("with-click");
  const LEAD = 0.06;

  function listenFrom(seconds) {
    const go = () => { sound.currentTime = Math.max(0, seconds - LEAD); sound.play(); };
    if (sound.readyState >= 1) go();
    else { sound.preload = "auto"; sound.addEventListener("loadedmetadata", go, { once: true }); sound.load(); }
  }
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
    sound.preload = "auto";
    const at = sound.currentTime, playing = !sound.paused;
    sound.src = document.getElementById("listen").dataset.plain + (on ? "?click=true" : "");
    sound.addEventListener("loadedmetadata", () => { sound.currentTime = at; if (playing) sound.play(); }, { once: true });
    sound.load();
  }
  function step(way) {
    const now = sound.currentTime + LEAD;
    const next = way > 0 ? times.find((t) => t > now + 0.02) : times.findLast((t) => t < now - 0.15);
    if (next !== undefined) listenFrom(next);
  }

  half.addEventListener("click", toggleHalf);
  click.addEventListener("click", toggleClick);
  for (const button of buttons) button.addEventListener("click", () => listenFrom(Number(button.dataset.from)));
  for (const block of document.querySelectorAll(".block[data-hit]")) {
    if (from.has(block.dataset.hit)) block.addEventListener("click", () => listenFrom(from.get(block.dataset.hit)));
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
    marked = hit && !sound.paused ? [...document.querySelectorAll(`.block[data-hit="${hit[0]}"]`)] : [];
    for (const block of marked) block.classList.add("sounding");
    if (!sound.paused) requestAnimationFrame(follow);
  }
  sound.addEventListener("play", follow);
}
