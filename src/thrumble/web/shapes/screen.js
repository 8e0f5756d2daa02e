// Shapes: a chord's name by one key, frets up and down, the shape heard.
import { onKey, problem } from "../shared/site.js";

const $ = (id) => document.getElementById(id);
const frets = [...document.querySelectorAll(".fret-link")];
const here = frets.findIndex((link) => link.closest("tr").classList.contains("here"));
const go = (step) => { const link = frets[here + step]; if (link) location.assign(link.href); };
onKey("ArrowRight", () => go(1));
onKey("ArrowLeft", () => go(-1));
onKey("/", (event) => { event?.preventDefault();
  $("name").select(); });

let sound = null;
async function listen() {
  const button = $("listen");
  if (!button) return;
  problem("");
  sound ??= new Audio(button.dataset.sound);
  sound.currentTime = 0;
  try { await sound.play(); } catch {
    problem(
      "The shape can't be played just now: try again in a moment.");
  }
}
$("listen")?.addEventListener("click", listen);
onKey("l", listen);
