// Drills by keys: up and down the list, heard, played.
import { onKey, onPedal } from "../shared/site.js";
import "../shared/heard.js";

const links = [...document.querySelectorAll(".drill-link")];
const here = links.findIndex((link) => link.classList.contains("here"));
const go = (step) => {
  const link = links[here + step];
  if (link) location.assign(link.href);
};
onKey("ArrowDown", () => go(1));
onKey("ArrowUp", () => go(-1));
const play = () => document.getElementById("play")?.click();
onKey(" ", play);
onPedal("PageDown", play);
