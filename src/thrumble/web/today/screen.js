import { onKey, onPedal } from "../shared/site.js";

const play = document.getElementById("play-armed");
if (play) {
  onKey(" ", () => play.click());
  onPedal("PageDown", () => play.click());
}
