// The strip as an editor: a caret in bars and places, one key an edit. The text is the truth: every
// edit goes to the server with it and comes back as text and drawing. Undo has no limit.
import { problem, send } from "../shared/site.js";
import { redrawn } from "./desk_bars.js";
import { dragging } from "./desk_drag.js";
import { draftOf, keepCounting, keptCounting } from "./desk_kept.js";
import { mover } from "./desk_move.js";
import { picker } from "./desk_picker.js";
import { textDrawer } from "./desk_text.js";

const $ = (id) => document.getElementById(id);
const desk = $("desk");
const text = $("source");
const mark = $("caret"); // kept here: it moves from bar to bar, and bars are drawn anew
const GRIDS = ["1/8", "1/16", "1/12", "1/4"];
const GRID_WORDS = {
  "1/8": "eighths",
  "1/16": "sixteenths",
  "1/12": "triplets",
  "1/4": "quarters",
};
const TEXT_PAUSE_MS = 300;
const CHORD_SHAPE = $("desk-chord").placeholder;
const draft = draftOf(desk.dataset.draft);

let view = null; // what the page says: where the caret is, whether the strip is behind the text
let grid = 0;
let bars = []; // as desk_bars.js makes them
let caret = { bar: 0, place: 0 };
let anchor = null; // the bar where a selection began
let clip = [];
let undone = [],
  redone = [];
let waiting = Promise.resolve(); // edits go one after the other, in the order of the keys

// --- drawing ---

let facts = { title: "", tempo: "" }; // as the text has them

/** The fields as the text has them; one that is being typed in keeps what is typed. */
function showFacts(refused = false) {
  for (const [field, value] of [
    [$("desk-title"), facts.title],
    [$("desk-tempo"), facts.tempo],
  ])
    if (refused || field !== document.activeElement) field.value = value;
}

function drawn(answer) {
  facts = answer;
  showFeel(answer.feel.ratio, answer.feel.unit);
  showFacts();
  document.querySelector("h1").textContent = answer.title;
  $("listen-tempo").placeholder = answer.tempo;
  $("desk-meter").placeholder = answer.meter;
  draw(answer.bars);
}

function showFeel(ratio, unit) {
  $("desk-ratio").value = ratio;
  $("desk-unit").value = unit;
  view.ratio = ratio === 1 ? "straight" : ratio.toFixed(2);
}

function draw(drawn) {
  bars = redrawn($("desk-bars"), bars, drawn);
  place(caret.bar, caret.place);
}

function place(bar, where) {
  const was = { ...caret };
  caret.bar = Math.min(Math.max(0, bar), bars.length - 1);
  const here = bars[caret.bar];
  caret.place = Math.min(Math.max(0, where), here.places.length - 1);
  const { x, width, count } = here.places[caret.place];

  here.element.append(mark);
  mark.style.left = `${x}%`;
  mark.style.width = `${width}%`;
  mark.hidden = false;
  const [from, to] = chosen();
  for (const { element, index } of bars) {
    element.classList.toggle("chosen", anchor !== null && index >= from && index <= to);
  }
  const before = bars[0].section === "pickup" ? 1 : 0; // bars that are not counted
  const spot =
    here.section === "pickup"
      ? "the pick-up"
      : `bar ${caret.bar + 1 - before} of ${bars.length - before}, section ${here.section}`;
  if (was.bar !== caret.bar || was.place !== caret.place) view.other = false;
  view.where = `${spot}, on ${count}, in ${GRID_WORDS[GRIDS[grid]]}`;
  const { hit } = here.places[caret.place];
  mark.classList.toggle("on-hit", hit);
  const forHit = (hit && anchor === null) !== view.other;
  $("hit-tools").hidden = !forHit;
  $("bar-tools").hidden = forHit;
  $("other-tools").textContent = forHit ? "more for bars" : "more for the hit";
  const large = here.element.cloneNode(true);
  large.classList.remove("chosen");
  large.querySelector(".caret").removeAttribute("id");
  $("desk-large").replaceChildren(large);
  drawer.follow(caret.bar);
  intoView();
}

let viewing = null;

/** The caret's bar comes into view with the next frame, however often the caret moves before. */
function intoView() {
  if (viewing !== null) return;
  viewing = requestAnimationFrame(() => {
    viewing = null;
    bars[caret.bar]?.element.scrollIntoView({ block: "nearest" });
  });
}

function chosen() {
  const other = anchor ?? caret.bar;
  return [Math.min(other, caret.bar), Math.max(other, caret.bar)];
}

// --- edits ---

function ask(edit) {
  const counts = $("desk-counts").value;
  const body = JSON.stringify({ source: text.value, grid: GRIDS[grid], counts, ...edit });
  const headers = { "content-type": "application/json" };
  return send(desk.dataset.edit, { body, headers }).then((answer) => answer.json());
}

// these go by the bars that are chosen
const OF_BARS = ["repeat", "delete", "copy", "ramp", "meter"];
const OF_RIFF = ["title", "tempo", "feel", "times"];

/** One edit after those before it, given or made when its turn comes; `then` moves the caret once
 *  it is drawn. */
function edit(asked, then = () => {}) {
  waiting = waiting.then(async () => {
    await textSettled();
    const what = typeof asked === "function" ? asked() : asked;
    const begun = performance.now();
    const [first, last] = chosen();
    const { at } = bars[caret.bar].places[caret.place];
    const here = OF_RIFF.includes(what.op) ? {} : { bar: caret.bar, at };
    const where = OF_BARS.includes(what.op) ? { bar: first, last } : here;
    const before = { source: text.value, caret: { ...caret } };
    try {
      const answer = await ask({ length: GRIDS[grid], ...where, ...what });
      problem("");
      if (answer.clip) clip = answer.clip;
      if (answer.source !== text.value) {
        undone.push(before);
        redone = [];
        write(answer.source);
      }
      if (what.op !== "copy") anchor = null;
      drawn(answer);
      then();
      await new Promise(requestAnimationFrame); // what is drawn is seen
      desk.dataset.afterMs = Math.round(performance.now() - begun);
    } catch (error) {
      problem(error.message);
      showFacts(true);
    }
  });
  return waiting;
}

/** A move of the caret comes after the edits whose keys were pressed before it. */
function soon(run) {
  waiting = waiting.then(run);
}

let writing = false; // what comes into the box is the desk's own

/** Puts a text into the box and has the played strip follow. */
function write(source) {
  text.value = source;
  writing = true;
  text.dispatchEvent(new Event("input", { bubbles: true }));
  writing = false;
  remember();
}

function step(back) {
  waiting = waiting.then(async () => {
    const from = back ? undone : redone,
      to = back ? redone : undone;
    const was = from.pop();
    if (!was) return;
    to.push({ source: text.value, caret: { ...caret } });
    write(was.source);
    caret = { ...was.caret };
    await redraw();
  });
}

async function redraw() {
  try {
    drawn(await ask({ op: "draw" }));
    view.stale = false;
  } catch (error) {
    // mostly the text has an error, which stands beside it too
    view.stale = true;
    view.where = error.message;
  }
}

/** One place on or back, over bar lines. */
function forward(by) {
  const { places } = bars[caret.bar];
  const next = caret.place + by;
  if (next >= 0 && next < places.length) place(caret.bar, next);
  else if (next < 0 && caret.bar > 0) place(caret.bar - 1, Infinity);
  else if (next >= places.length && caret.bar + 1 < bars.length) place(caret.bar + 1, 0);
}
const toBar = (by, choosing) => {
  if (!choosing) anchor = null;
  else anchor ??= caret.bar;
  place(caret.bar + by, caret.place);
};
/** The last bar of a section, endings included. */
const lastOf = (section) => bars.findLastIndex((bar) => bar.section === section);
const hit = (letter) =>
  edit(
    () => {
      const chord = nextChord;
      chordWaits("");
      return { op: "hit", letter, chord };
    },
    () => forward(1),
  );

/** A chord typed where there is a hit becomes that hit's; else it waits for the next one put. */
function chordTyped(chord) {
  if (bars[caret.bar].places[caret.place].hit) edit({ op: "chord", chord });
  else chordWaits(chord);
}

const moving = mover({
  bars: () => bars,
  chosen,
  isChosen: () => anchor !== null,
  edit,
  choose: (first, last) => {
    anchor = first === last ? null : first;
    place(last, 0);
  },
});

let nextChord = "";

function chordWaits(chord) {
  nextChord = chord;
  view.shape = chord || CHORD_SHAPE;
}

const KEYS = {
  ArrowRight: () => soon(() => forward(1)),
  ArrowLeft: () => soon(() => forward(-1)),
  ArrowDown: ({ shiftKey }) => soon(() => toBar(1, shiftKey)),
  ArrowUp: ({ shiftKey }) => soon(() => toBar(-1, shiftKey)),
  Home: () => soon(() => place(caret.bar, 0)),
  End: () => soon(() => place(caret.bar, Infinity)),
  o: () => hit("o"),
  m: () => hit("m"),
  M: () => hit("M"),
  k: () => hit("k"),
  K: () => hit("K"),
  x: () => hit("x"),
  h: () => edit({ op: "hold" }, () => forward(1)),
  "-": () => edit({ op: "rest" }, () => forward(1)),
  ".": () => edit({ op: "clear" }, () => forward(1)),
  Delete: () => edit({ op: "clear" }),
  Backspace: () => {
    soon(() => forward(-1));
    edit({ op: "clear" });
  },
  a: () => edit({ op: "mark", what: "accent" }),
  s: () => edit({ op: "mark", what: "stop" }),
  t: () => edit({ op: "mark", what: "staccato" }),
  u: () => edit({ op: "mark", what: "stroke" }),
  "/": () => edit({ op: "mark", what: "slide" }),
  p: () => edit({ op: "mark", what: "legato" }),
  e: () => edit({ op: "mark", what: "bend" }),
  i: () => edit({ op: "mark", what: "opens" }),
  n: () => edit({ op: "mark", what: "arpeggio" }),
  "^": () => edit({ op: "mark", what: "drones" }),
  f: () => edit({ op: "ramp" }),
  0: () => edit({ op: "pickup" }, () => place(0, 0)),
  v: () =>
    edit(
      () => ({ op: "section", section: bars[caret.bar].section }),
      () => place(lastOf(bars[caret.bar].section) + 1, 0),
    ),
  c: () => $("desk-chord").select(),
  b: () => edit({ op: "insert" }, () => place(caret.bar + 1, 0)),
  r: () => edit({ op: "repeat" }),
  d: () => edit({ op: "delete" }),
  "<": () => moving.step(-1),
  ">": () => moving.step(1),
  g: () => {
    grid = (grid + 1) % GRIDS.length;
    soon(redraw);
  },
};
const WITH_CONTROL = {
  z: () => step(true),
  y: () => step(false),
  c: () => edit({ op: "copy" }),
  x: () => {
    const [bar, last] = chosen();
    edit({ op: "copy", bar, last });
    edit({ op: "delete", bar, last });
  },
  v: () => {
    if (clip.length) edit({ op: "paste", clip }, () => place(caret.bar + 1, 0));
  },
};

function withControl(key, shifted) {
  const name = key.toLowerCase();
  return WITH_CONTROL[shifted && name === "z" ? "y" : name];
}

function press(key, event) {
  const control = event.ctrlKey || event.metaKey;
  const run = control ? withControl(key, event.shiftKey) : KEYS[key];
  if (!run || !bars.length) return false;
  run(event);
  return true;
}

const chords = picker($("picker"), $("desk-chord"), {
  url: desk.dataset.pick,
  asked: () => ({ source: text.value, bar: caret.bar }),
  pick: (chord) => {
    desk.focus({ preventScroll: true });
    soon(() => chordTyped(chord));
  },
});

function chordKey(event) {
  if (chords.key(event)) return;
  if (!["Enter", "Escape"].includes(event.key)) return;
  event.preventDefault();
  const chord = event.key === "Enter" ? event.target.value.trim() : "";
  chords.shut();
  desk.focus({ preventScroll: true });
  if (chord) soon(() => chordTyped(chord));
}

function meterKey(event) {
  if (!["Enter", "Escape"].includes(event.key)) return;
  event.preventDefault();
  if (event.key === "Escape") event.target.value = "";
  desk.focus({ preventScroll: true }); // what was typed is set as the field is left
}

/** What has a value of its own under the fingers keeps its keys. */
const ownKeys = (element) => element.matches("select, input") && element !== desk;

/** Along the toolbar by arrow keys: it is one stop for Tab. */
function toolbarKey(event) {
  const step = { ArrowRight: 1, ArrowLeft: -1 }[event.key];
  const buttons = [...event.currentTarget.querySelectorAll("button:enabled")];
  const k = buttons.indexOf(event.target);
  if (!step || k < 0) return;
  event.preventDefault();
  event.stopPropagation();
  buttons[(k + step + buttons.length) % buttons.length].focus();
}

function deskKey(event) {
  if (ownKeys(event.target)) return;
  if (event.key === "Escape") drawer.open();
  else if (!event.altKey && press(event.key, event)) {
    event.preventDefault();
    event.stopPropagation();
  }
}

/** The bar and place under a point of the page, or null. */
function spotAt(clientX, clientY) {
  const element = document.elementFromPoint(clientX, clientY)?.closest("#desk-bars .desk-bar");
  if (!element) return null;
  const box = element.getBoundingClientRect();
  const x = ((clientX - box.left) / box.width) * 100;
  const bar = bars[Number(element.dataset.index)];
  return {
    bar: bar.index,
    place: Math.max(
      0,
      bar.places.findLastIndex((spot) => spot.x <= x),
    ),
  };
}

dragging($("desk-bars"), {
  spotAt,
  isHit: ({ bar, place: k }) => bars[bar].places[k].hit,
  caret: () => ({ ...caret }),
  /** The place under a click or a tap gets the caret; with Shift, bars are chosen up to it. */
  point: (spot, choosing) => {
    anchor = choosing ? (anchor ?? caret.bar) : null;
    place(spot.bar, spot.place);
    desk.focus({ preventScroll: true });
  },
  show: (from, to) => {
    const { x } = bars[from.bar].places[from.place];
    const last = bars[to.bar].places[to.place];
    if (to.bar === from.bar && to.place >= from.place)
      mark.style.width = `${last.x + last.width - x}%`;
    else if (to.bar > from.bar) mark.style.width = `${100 - x}%`;
  },
  act: (op, from, to) => {
    place(from.bar, from.place);
    const { at } = bars[from.bar].places[from.place];
    const until = bars[to.bar].places[to.place].at;
    edit({ op, bar: from.bar, at, last: to.bar, until });
  },
  settle: () => place(caret.bar, caret.place),
  mover: moving,
  menu: (x, y) => document.dispatchEvent(new CustomEvent("desk-menu", { detail: { x, y } })),
});

desk.addEventListener("click", ({ target }) => {
  const button = target.closest("[data-times]");
  if (!button) return;
  edit({ op: "times", section: button.dataset.section, more: button.dataset.times === "more" });
  desk.focus({ preventScroll: true });
});

// --- text and drafts ---

let pause = null;
text.addEventListener("input", () => {
  if (writing) return;
  clearTimeout(pause);
  pause = setTimeout(() => soon(textSettled), TEXT_PAUSE_MS);
});

/** What was typed is taken up, in its turn: before the next edit, or once the typing pauses. */
async function textSettled() {
  if (pause === null) return;
  clearTimeout(pause);
  pause = null;
  undone.push({ source: desk.dataset.last ?? text.defaultValue, caret: { ...caret } });
  redone = [];
  remember();
  await redraw();
}

const drawer = textDrawer({
  toBar: (bar) => {
    if (bar < bars.length) place(bar, 0);
  },
  back: () => desk.focus({ preventScroll: true }),
});

function remember() {
  desk.dataset.last = text.value;
  if (text.value === text.defaultValue) draft.drop();
  else draft.keep(text.value);
}

document.addEventListener("htmx:afterRequest", ({ detail }) => {
  if (detail.elt.id === "riff-form" && detail.xhr.getResponseHeader("HX-Redirect")) draft.drop();
});

document.addEventListener("alpine:init", () => {
  window.Alpine.data("desk", () => ({
    where: "",
    stale: false,
    shape: CHORD_SHAPE,
    kept: null, // a draft of an earlier visit
    get noDraft() {
      return this.kept === null;
    },
    get staleClass() {
      return this.stale ? "stale" : "";
    },
    init() {
      view = this;
      $("desk-counts").value = keptCounting();
      const earlier = draft.read();
      if (earlier !== text.value) this.kept = earlier;
      document.querySelector(".desk-keys button").tabIndex = 0;
      redraw();
      if (!document.activeElement || document.activeElement === document.body)
        desk.focus({ preventScroll: true });
    },
    takeDraft() {
      undone.push({ source: text.value, caret: { ...caret } });
      write(this.kept);
      this.kept = null;
      redraw();
    },
    dropDraft() {
      this.kept = null;
      remember();
    },
    ratio: "straight",
    ratioTouched({ target }) {
      showFeel(Number(target.value), $("desk-unit").value);
    },
    feelSet() {
      edit({ op: "feel", ratio: $("desk-ratio").value, unit: $("desk-unit").value });
    },
    counting() {
      keepCounting($("desk-counts").value);
      soon(redraw);
    },
    other: false, // the bars' tools on a hit, or the hit's if there is none
    otherTools() {
      this.other = !this.other;
      place(caret.bar, caret.place);
    },
    titleSet({ target }) {
      edit({ op: "title", title: target.value });
    },
    tempoSet({ target }) {
      edit({ op: "tempo", tempo: target.value });
    },
    meterSet({ target }) {
      if (target.value.trim()) edit({ op: "meter", meter: target.value.trim() });
      target.value = "";
    },
    meterKey,
    deskKey,
    chordKey,
    toolbarKey,
    pickOpen: () => chords.open(),
    pickShut: () => chords.shutSoon(),
    pressed(event) {
      const { press: key, control, shift } = event.currentTarget.dataset;
      press(key, { ctrlKey: control !== undefined, shiftKey: shift !== undefined });
      if (key !== "c" || control !== undefined) desk.focus({ preventScroll: true });
    },
  }));
});

/** For whoever must wait until every key so far is answered. */
window.__deskIdle = async () => {
  let last = null;
  while (last !== waiting) {
    last = waiting;
    await last;
  }
};
