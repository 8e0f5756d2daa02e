// One bar of the strip across the whole width, for dense sixteenths and for a screen two metres
// away: the bar that is looked at.
import { onKey } from "../shared/site.js";

/** Gives look(bar): the strip's element that is looked at now. */
export function zoomOf() {
  const strip = document.getElementById("strip");
  const button = document.getElementById("zoom");
  if (!strip || !button) return { look: () => {} };
  let bar = strip.querySelector("svg.bar");
  let on = false;

  function show() {
    for (const old of strip.querySelectorAll(".zoomed")) old.classList.remove("zoomed");
    bar?.classList.toggle("zoomed", on);
    button.setAttribute("aria-pressed", String(on));
    if (bar && on) bar.scrollIntoView({ block: "start" });
  }
  function look(element) {
    if (!element || element === bar) return;
    bar = element;
    if (on) show();
  }
  function toggle() {
    on = !on;
    show();
  }

  button.addEventListener("click", toggle);
  strip.addEventListener("click", ({ target }) => look(target.closest("svg.bar")));
  strip.addEventListener("dblclick", ({ target }) => {
    if (!target.closest("svg.bar")) return;
    look(target.closest("svg.bar"));
    toggle();
  });
  onKey("z", toggle);
  for (const [key, way] of [
    [",", -1],
    [".", 1],
  ]) {
    onKey(String(key), () => {
      const bars = [...strip.querySelectorAll("svg.bar")];
      look(bars[bars.indexOf(bar) + Number(way)]);
    });
  }
  return { look };
}
