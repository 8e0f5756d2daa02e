// Shapes: a chord's name by one key, frets up and down, the shape heard.
import { onKey } from "../shared/site.js";
import "../shared/heard.js";

const $ = (id) => document.getElementById(id);
const frets = [...document.querySelectorAll(".fret-link")];
const here = frets.findIndex((link) => link.closest("tr").classList.contains("here"));
const go = (step) => {
  const link = frets[here + step];
  if (link) location.assign(link.href);
};
onKey("ArrowRight", () => go(1));
onKey("ArrowLeft", () => go(-1));
onKey("/", (event) => {
  event?.preventDefault();
  $("name").select();
});
