// Chords on the neck: the shapes of the chord that is being typed, nearest first, or every root.
// Arrow keys go through them, Enter or a click takes one.
import { send } from "../shared/site.js";

const PAUSE_MS = 120;

/** `asked()`: the text and the caret's bar; `pick(chord)`: one was chosen. */
export function picker(box, input, { url, asked, pick }) {
  let timer = null;
  let leaving = null;
  let latest = 0;
  const choices = () => [...box.querySelectorAll(".pick")];
  const current = () => box.querySelector(".pick.here");

  async function fetched() {
    const number = ++latest;
    const body = JSON.stringify({ ...asked(), chord: input.value.trim() });
    const headers = { "content-type": "application/json", accept: "text/html" };
    try {
      const html = await (await send(url, { body, headers })).text();
      if (number !== latest) return;
      const page = new DOMParser().parseFromString(html, "text/html");
      box.replaceChildren(...page.body.childNodes);
      box.hidden = false;
    } catch {
      shut(); // the text has an error, which stands on the page
    }
  }

  function shut() {
    clearTimeout(timer);
    latest++;
    box.hidden = true;
    box.replaceChildren();
    input.value = "";
  }

  function take(choice) {
    const { chord } = choice.dataset;
    shut();
    pick(chord);
  }

  /** Whether a key of the chord's box was for the shapes. */
  function key(event) {
    if (event.key === "Enter" && current()) {
      event.preventDefault();
      take(current());
      return true;
    }
    const columns = box.querySelector("tbody tr")?.querySelectorAll(".pick").length;
    const steps = {
      ArrowRight: 1,
      ArrowLeft: -1,
      ArrowDown: columns ?? 1,
      ArrowUp: -(columns ?? 1),
    };
    const step = steps[event.key];
    const all = choices();
    const typing = input.value !== "" && event.key.match(/Left|Right/) && !current();
    if (!step || !all.length || typing) return false;
    event.preventDefault();
    const k = all.indexOf(current());
    const next = k < 0 ? (step > 0 ? 0 : all.length - 1) : (k + step + all.length) % all.length;
    for (const choice of all) choice.classList.toggle("here", choice === all[next]);
    all[next].scrollIntoView({ block: "nearest", inline: "nearest" });
    return true;
  }

  box.addEventListener("pointerdown", (event) => event.preventDefault()); // the box keeps the focus
  box.addEventListener("click", ({ target }) => {
    const choice = target.closest(".pick");
    if (choice) take(choice);
  });
  return {
    open() {
      clearTimeout(leaving);
      clearTimeout(timer);
      timer = setTimeout(fetched, box.hidden ? 0 : PAUSE_MS);
    },
    shut,
    shutSoon() {
      leaving = setTimeout(shut, 150);
    },
    key,
  };
}
