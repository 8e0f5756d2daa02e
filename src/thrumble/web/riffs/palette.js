// Every command of the page by its name, with its key; and the desk's menu at the pointer. Both
// list the page's own buttons and links, and press them.
const palette = document.getElementById("palette");
const search = document.getElementById("palette-search");
const list = document.getElementById("palette-list");
let commands = []; // { name, key, element }
let here = 0;

function gathered(root) {
  return [...root.querySelectorAll("[data-command]")]
    .filter((element) => !element.disabled)
    .map((element) => ({
      name: element.dataset.command,
      key: [...element.querySelectorAll("kbd")].map((key) => key.textContent).join(" "),
      element,
    }));
}

/** Whether all letters of what is typed come in a name, in order. */
function fits(name, typed) {
  let from = 0;
  for (const letter of typed.toLowerCase().replaceAll(" ", "")) {
    from = name.toLowerCase().indexOf(letter, from) + 1;
    if (!from) return false;
  }
  return true;
}

function rank({ name }, typed) {
  const at = name.toLowerCase().indexOf(typed.toLowerCase());
  return at < 0 ? 1000 : at;
}

function shown() {
  const typed = search.value.trim();
  return commands
    .filter(({ name }) => fits(name, typed))
    .sort((a, b) => rank(a, typed) - rank(b, typed));
}

function draw() {
  const all = shown();
  here = Math.min(here, Math.max(0, all.length - 1));
  list.replaceChildren(
    ...all.map(({ name, key }, k) => {
      const item = document.createElement("li");
      item.id = `command-${k}`;
      item.setAttribute("role", "option");
      item.setAttribute("aria-selected", String(k === here));
      item.append(name);
      if (key) {
        const cap = document.createElement("kbd");
        cap.textContent = key;
        item.append(cap);
      }
      item.addEventListener("click", () => run(all[k]));
      return item;
    }),
  );
  if (!all.length) {
    const item = document.createElement("li");
    item.textContent = "No such command.";
    list.append(item);
  }
  search.setAttribute("aria-activedescendant", all.length ? `command-${here}` : "");
  list.children[here]?.scrollIntoView({ block: "nearest" });
}

function run(command) {
  if (!command) return;
  palette.close();
  command.element.click();
}

function open(all, at = null) {
  commands = all;
  here = 0;
  search.value = "";
  palette.classList.toggle("at-pointer", at !== null);
  palette.showModal();
  draw();
  const { width, height } = palette.getBoundingClientRect();
  palette.style.left = at ? `${Math.max(8, Math.min(at.x, innerWidth - width - 8))}px` : "";
  palette.style.top = at ? `${Math.max(8, Math.min(at.y, innerHeight - height - 8))}px` : "";
  search.focus();
}

const everything = () => open(gathered(document));

search.addEventListener("input", () => {
  here = 0;
  draw();
});
search.addEventListener("keydown", (event) => {
  const step = { ArrowDown: 1, ArrowUp: -1 }[event.key];
  const all = shown();
  if (step && all.length) here = (here + step + all.length) % all.length;
  else if (event.key === "Enter") run(all[here]);
  else return;
  event.preventDefault();
  draw();
});
palette.addEventListener("click", (event) => {
  if (event.target === palette) palette.close();
});
document.getElementById("palette-button").addEventListener("click", everything);
document.addEventListener(
  "keydown",
  (event) => {
    if (!(event.ctrlKey || event.metaKey) || event.key.toLowerCase() !== "k") return;
    event.preventDefault();
    event.stopPropagation();
    if (palette.open) palette.close();
    else everything();
  },
  true,
);
/** The desk's commands, what the caret is on first. */
function atCaret() {
  const context = [...document.querySelectorAll("#hit-tools, #bar-tools")];
  const first = context.filter((tools) => !tools.hidden).flatMap(gathered);
  const names = new Set(first.map(({ name }) => name));
  const rest = gathered(document.querySelector(".desk-keys"));
  return [...first, ...rest.filter(({ name }) => !names.has(name))];
}

document.addEventListener("desk-menu", ({ detail }) => open(atCaret(), detail));
for (const menu of document.querySelectorAll("details.menu")) {
  document.addEventListener("click", ({ target }) => {
    if (!menu.contains(target)) menu.open = false;
  });
  menu.addEventListener("keydown", (event) => {
    if (event.key !== "Escape" || !menu.open) return;
    event.stopPropagation();
    menu.open = false;
    menu.querySelector("summary").focus();
  });
}
