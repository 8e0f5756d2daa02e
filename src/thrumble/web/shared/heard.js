// A button that plays a sound of the server's, again from its beginning with every press.
import { onKey, problem } from "./site.js";

let sound = null;
const button = document.getElementById("listen");

async function listen() {
  if (!button) return;
  problem("");
  sound ??= new Audio(button.dataset.sound);
  sound.currentTime = 0;
  try {
    await sound.play();
  } catch {
    problem("This can't be played right now: try again in a moment.");
  }
}

button?.addEventListener("click", listen);
onKey("l", listen);
