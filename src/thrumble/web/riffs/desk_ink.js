// The riff's text with its words told apart, the error under its line, and chord names completed.
// What is seen is a copy of the text in ink of several kinds; the field itself lies over it, its
// own letters unseen.
const $ = (id) => document.getElementById(id);
const COMMENT = /(?:^|\s)#.*$/;
const BODY = /[|(){}]|[^\s|(){}]+|\s+/g;
const CHORD = /^(?:[A-G][^@\s=:|]*(?:@\S*)?|\S*=\S+|\d+:\S+)$/;
const HIT = /^>?(?:[/\\]\d*)?_?([oMKxmk])/;
const KINDS = { o: "open", M: "mute", m: "mute", K: "mute", k: "mute", x: "dead" };
const SECTION = /^\s*\[.*\]/;
const TYPED = /(?:^|[\s|(])([A-G][A-Za-z0-9#+/]*)$/;
const MAX_OFFERED = 7;

/** The pieces of a line of the text, each [words, kind]; kind is empty for plain ink. */
export function pieces(line, inSection) {
  const comment = line.match(COMMENT);
  const body = comment ? line.slice(0, comment.index) : line;
  const after = comment ? [[line.slice(comment.index), "comment"]] : [];
  if (SECTION.test(body)) return [[body, "section"], ...after];
  const head = inSection ? null : body.match(/^(\s*[a-z]+:)(.*)$/);
  if (head) return [[head[1], "name"], [head[2], ""], ...after];
  const words = (body.match(BODY) ?? []).map((word) => [word, kindOf(word)]);
  return [...words, ...after];
}

function kindOf(word) {
  if (word === "|") return "bar";
  if (/^[-~.]+$/.test(word)) return "rest";
  const hit = word.match(HIT);
  if (hit) return KINDS[hit[1]];
  return CHORD.test(word) ? "chord" : "";
}

/** Names that begin as typed: those in the text first, then all others. */
export function offered(typed, text, names) {
  const used = [...text.matchAll(/(?:^|[\s|(])([A-G][A-Za-z0-9#+/]*@\S+)/g)].map((m) => m[1]);
  const all = [...new Set([...used, ...names])];
  return all.filter((name) => name.startsWith(typed) && name !== typed).slice(0, MAX_OFFERED);
}

/** Every name there is, the plainest first. `suffixes`: of chords, in order. */
function namesOf(suffixes) {
  const roots = [..."EAGDCBF"].flatMap((letter) => [letter, `${letter}#`, `${letter}b`]);
  return suffixes.flatMap((suffix) => roots.map((root) => root + suffix));
}

/** suffixes: what may stand behind a chord's root. */
export function inkOf(suffixes) {
  const text = $("source");
  const ink = $("ink");
  const note = $("text-error");
  const list = $("chord-names");
  const names = namesOf(suffixes);
  let lines = [];
  let texts = []; // what the lines were made of
  let bodyAt = -1; // the first section's line
  let choices = [];
  let chosen = -1;

  /** A line of the text in its inks. */
  function lineOf(words, inSection) {
    const line = document.createElement("span");
    for (const [piece, kind] of pieces(words, inSection)) {
      const part = document.createElement("span");
      if (kind) part.className = `ink-${kind}`;
      part.textContent = piece;
      line.append(part);
    }
    line.append("\n");
    return line;
  }
  /** Only the lines that changed are made anew: those between the same beginning and end. */
  function draw() {
    const next = text.value.split("\n");
    const bodyFrom = next.findIndex((words) => SECTION.test(words));
    const most = Math.min(next.length, texts.length);
    const redone = bodyFrom !== bodyAt || !texts.length;
    let first = 0;
    while (!redone && first < most && next[first] === texts[first]) first++;
    let last = 0;
    while (!redone && last < most - first && next.at(-1 - last) === texts.at(-1 - last)) last++;
    const fresh = next
      .slice(first, next.length - last)
      .map((words, k) => lineOf(words, bodyFrom >= 0 && first + k >= bodyFrom));
    for (const old of lines.slice(first, lines.length - last)) old.remove();
    const behind = last ? lines.at(-last) : null;
    for (const line of fresh) ink.insertBefore(line, behind);
    lines = [...lines.slice(0, first), ...fresh, ...(last ? lines.slice(-last) : [])];
    texts = next;
    bodyAt = bodyFrom;
    follow();
  }
  function follow() {
    ink.scrollTop = text.scrollTop;
    ink.scrollLeft = text.scrollLeft;
  }

  /** The error of the preview, under its line. */
  function tell() {
    const box = document.querySelector("#preview [data-problem]");
    for (const line of lines) line.classList.remove("ink-wrong");
    note.hidden = !box;
    if (!box) return;
    const line = lines[Number(box.dataset.line) - 1] ?? lines.at(-1);
    line?.classList.add("ink-wrong");
    note.textContent = box.dataset.words;
    if (line) note.style.top = `${line.offsetTop + line.offsetHeight - text.scrollTop}px`;
  }

  function typed() {
    if (text.selectionStart !== text.selectionEnd) return null;
    const begun = text.value.slice(0, text.selectionStart).split("\n").at(-1);
    return begun.includes("|") ? (begun.match(TYPED)?.[1] ?? null) : null;
  }
  function offer() {
    const begun = document.activeElement === text ? typed() : null;
    choices = begun ? offered(begun, text.value, names) : [];
    chosen = choices.length ? 0 : -1;
    show();
  }
  function show() {
    list.hidden = !choices.length;
    text.setAttribute("aria-expanded", String(choices.length > 0));
    list.replaceChildren(
      ...choices.map((name, k) => {
        const option = document.createElement("li");
        option.id = `chord-name-${k}`;
        option.textContent = name;
        option.setAttribute("role", "option");
        option.setAttribute("aria-selected", String(k === chosen));
        // pressed, not clicked: the text keeps the focus
        option.addEventListener("pointerdown", (event) => {
          event.preventDefault();
          take(name);
        });
        return option;
      }),
    );
    if (chosen < 0) text.removeAttribute("aria-activedescendant");
    else text.setAttribute("aria-activedescendant", `chord-name-${chosen}`);
    if (!choices.length) return;
    const before = text.value.slice(0, text.selectionStart).split("\n");
    const line = lines[before.length - 1];
    const range = document.createRange();
    const at = placeIn(line, before.at(-1).length);
    range.setStart(at.node, at.offset);
    range.collapse(true);
    const box = range.getBoundingClientRect();
    const edge = ink.getBoundingClientRect();
    list.style.left = `${Math.max(0, box.left - edge.left - 12)}px`;
    list.style.top = `${box.bottom - edge.top + 2}px`;
  }
  function placeIn(line, offset) {
    const walker = document.createTreeWalker(line, NodeFilter.SHOW_TEXT);
    let left = offset;
    let node = walker.nextNode();
    while (node && left > node.nodeValue.length) {
      left -= node.nodeValue.length;
      node = walker.nextNode();
    }
    return { node: node ?? line, offset: node ? left : 0 };
  }
  function take(name) {
    const end = text.selectionStart;
    text.setSelectionRange(end - typed().length, end);
    // so that the browser's own undo takes it back
    if (!document.execCommand("insertText", false, name)) text.setRangeText(name, end, end, "end");
    choices = [];
    chosen = -1;
    show();
  }
  function close() {
    choices = [];
    chosen = -1;
    show();
  }

  text.addEventListener("input", () => {
    note.hidden = true;
    draw();
    offer();
  });
  text.addEventListener("scroll", follow);
  text.addEventListener("blur", close);
  text.addEventListener("keydown", (event) => {
    if (!choices.length) return;
    const way = { ArrowDown: 1, ArrowUp: -1 }[event.key];
    if (way) {
      chosen = (chosen + way + choices.length) % choices.length;
      show();
    } else if (event.key === "Tab" || event.key === "Enter") take(choices[chosen]);
    else if (event.key === "Escape") close();
    else return;
    event.preventDefault();
    event.stopImmediatePropagation();
  });
  document.addEventListener("htmx:afterSwap", tell);
  new ResizeObserver(() => tell()).observe(text);
  ink.replaceChildren();
  draw();
  tell();
  return { draw };
}
