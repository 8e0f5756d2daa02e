// The errors of a take one by one, and the hits that a finding is about.
import { onKey } from "../shared/site.js";

const $ = (id) => document.getElementById(id);

/** Marks hits in the strip, and only them. */
export function point(hits, scroll = false) {
  const strip = $("strip");
  if (!strip) return null;
  for (const old of strip.querySelectorAll(".pointed")) old.classList.remove("pointed");
  const shapes = hits.flatMap((hit) => [...strip.querySelectorAll(`.block[data-hit="${hit}"]`)]);
  for (const shape of shapes) shape.classList.add("pointed");
  strip.classList.toggle("pointing", shapes.length > 0);
  const bar = shapes[0]?.closest("svg.bar") ?? null;
  if (scroll) bar?.scrollIntoView({ block: "center" });
  return bar;
}

/** player: of the strip, or null without audio; heard(hit): the error that is looked at;
 *  look(bar): its bar. */
export function errorsOf(player, heard, look) {
  let at = -1;
  const read = () => JSON.parse($("errors")?.textContent ?? "[]");

  function step(way) {
    const errors = read();
    if (!errors.length) return;
    at = at < 0 && way < 0 ? errors.length - 1 : (at + way + errors.length) % errors.length;
    const { hit, bar, words } = errors[at];
    $("error-words").textContent = `${at + 1} of ${errors.length}: ${words}`;
    const form = $("practise-bar");
    form.hidden = bar < 1; // the pick-up alone is no drill
    form.elements.first.value = bar;
    form.elements.last.value = bar;
    heard(hit);
    const element = point([hit], true);
    look(element);
    player?.hear(hit, element);
    for (const other of document.querySelectorAll(".finding"))
      other.setAttribute("aria-pressed", "false");
  }

  let chosen = null; // the finding whose hits stay marked
  const hitsOf = (button) => button.dataset.hits.split(" ");

  document.addEventListener("click", ({ target }) => {
    if (target.closest("#error-next")) step(1);
    if (target.closest("#error-before")) step(-1);
    const finding = target.closest(".finding");
    if (finding) {
      chosen = chosen === finding ? null : finding;
      for (const other of document.querySelectorAll(".finding"))
        other.setAttribute("aria-pressed", String(other === chosen));
      point(chosen ? hitsOf(chosen) : [], chosen !== null);
    }
    const cell = target.closest(".cell");
    if (cell) {
      const { bar, round } = cell.dataset;
      const place = document.querySelector(`#strip svg[data-bar="${bar}"][data-round="${round}"]`);
      look(place);
      place?.scrollIntoView({ block: "center" });
    }
  });
  const preview =
    (on) =>
    ({ target }) => {
      const finding = target.closest?.(".finding");
      if (finding && !chosen) point(on ? hitsOf(finding) : []);
    };
  for (const event of ["mouseover", "focusin"]) document.addEventListener(event, preview(true));
  for (const event of ["mouseout", "focusout"]) document.addEventListener(event, preview(false));
  onKey("e", () => step(1));
  onKey("E", () => step(-1));
  onKey("b", () => {
    if (!$("practise-bar")?.hidden) $("practise-button").click();
  });
}
