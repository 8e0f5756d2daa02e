// The riff's text in a drawer beside the strip: opened and left by Escape; both follow the caret.
import { inkOf } from "./desk_ink.js";

const $ = (id) => document.getElementById(id);
const COMMENT = /(^|\s)#.*$/;

/** Where each written bar stands in a text, [from, to), the pick-up first. */
export function barSpans(source) {
  const spans = [];
  const pickup = [];
  let section = "";
  let start = 0;
  for (const line of source.split("\n")) {
    const heading = line.match(/^\s*\[(.+)\]/);
    if (heading) section = heading[1];
    const bars = line.replace(COMMENT, (words) => " ".repeat(words.length));
    const first = bars.indexOf("|");
    if (section && first >= 0) {
      let from = first + 1;
      for (let k = from; k < bars.length; k++) {
        if (bars[k] !== "|") continue;
        if (bars.slice(from, k).trim())
          (section === "pickup" ? pickup : spans).push([start + from, start + k]);
        from = k + 1;
      }
    }
    start += line.length + 1;
  }
  return [...pickup, ...spans];
}

/** toBar(k): the text's caret came into bar k; back(): the text is left. */
export function textDrawer({ toBar, back }) {
  const drawer = $("text-drawer");
  const button = $("text-button");
  const text = $("source");

  function show(open) {
    drawer.hidden = !open;
    button.setAttribute("aria-expanded", String(open));
    $("desk-page").classList.toggle("with-text", open);
  }

  button.addEventListener("click", () => {
    show(drawer.hidden);
    if (drawer.hidden) back();
    else text.focus();
  });
  inkOf($("ink").parentElement.dataset.suffixes.split(" ")); // its Escape comes before ours
  text.addEventListener("keydown", (event) => {
    if (event.key !== "Escape") return;
    event.stopPropagation();
    back();
  });
  document.addEventListener("selectionchange", () => {
    if (document.activeElement !== text) return;
    const at = text.selectionStart;
    const k = barSpans(text.value).findIndex(([from, to]) => at >= from && at <= to);
    if (k >= 0) toBar(k);
  });
  return {
    open() {
      show(true);
      text.focus();
    },
    /** The bar at the strip's caret is marked in the text. */
    follow(bar) {
      if (drawer.hidden || document.activeElement === text) return;
      const span = barSpans(text.value)[bar];
      if (span) text.setSelectionRange(...span);
    },
  };
}
