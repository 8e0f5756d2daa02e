// What every page has: the token on requests for change, theme, keys, problems.

let token = document.querySelector('meta[name="token"]').content;
/** Whose data this page shows: what it sends is theirs, whoever is chosen in another tab. */
export const player = document.querySelector('meta[name="player"]')?.content ?? "";
const asPlayer = player ? { "x-thrumble-player": player } : {};
const WAIT_MS = 15000;

/** A signal that ends a request after so many milliseconds. */
export const endsAfter = (ms) => /** @type {any} */ (AbortSignal).timeout(ms);

/** The server said no. `final`: asking again will not help; `retryS`: when it may; `missing`:
 *  frames that have not arrived. */
export class Refusal extends Error {
  constructor(words, response, document) {
    super(words);
    this.status = response.status;
    this.final = [400, 404, 409, 413, 422].includes(response.status) && !document?.missing;
    this.retryS = Number(response.headers.get("retry-after")) || null;
    this.missing = document?.missing ?? null;
  }
}

/** fetch with this page's token; throws a Refusal with the server's words if it says no,
 *  another Error if it does not answer. */
export async function send(url, { method = "POST", body = null, headers = {}, again = true } = {}) {
  const ask = () =>
    fetch(url, {
      method,
      body,
      signal: endsAfter(WAIT_MS),
      headers: { "x-thrumble-token": token, accept: "application/json", ...asPlayer, ...headers },
    }).catch(() => {
      throw new Error(
        "Can't reach Thrumble. Start it with " + "./run; what you wrote is kept here.",
      );
    });
  let response = await ask();
  if (response.status === 403 && again) {
    // loaded before a restart or a restore
    token = (await (await fetch("/token", { headers: { accept: "application/json" } })).json())
      .token;
    response = await ask();
  }
  if (!response.ok) {
    const text = await response.text();
    let said = null;
    try {
      said = JSON.parse(text);
    } catch {
      /* plain words */
    }
    throw new Refusal(
      said?.problem || text || `The server answered ${response.status}.`,
      response,
      said,
    );
  }
  return response;
}

document.addEventListener("htmx:configRequest", (event) => {
  Object.assign(event.detail.headers, { "x-thrumble-token": token, ...asPlayer });
});

export function problem(words) {
  const place = document.getElementById("problem");
  place.replaceChildren();
  if (!words) return;
  const box = document.createElement("div");
  box.className = "problem-box";
  box.textContent = words;
  place.append(box);
  box.scrollIntoView({ block: "nearest" });
}

// An error answer goes to the page's problem place, wherever the request came from.
document.addEventListener("htmx:beforeSwap", (event) => {
  if (event.detail.xhr.status >= 400) {
    event.detail.shouldSwap = false;
    askAgain(event);
    const found = new DOMParser()
      .parseFromString(event.detail.xhr.responseText, "text/html")
      .querySelector("[data-problem]");
    problem(found ? found.textContent : event.detail.xhr.responseText.slice(0, 300));
  } else if (event.detail.requestConfig.verb !== "get") {
    problem("");
  }
});
document.addEventListener("htmx:sendError", (event) => {
  askAgain(event);
  problem("Can't reach Thrumble. Start it with ./run, and this page will continue.");
});
document.addEventListener("htmx:afterRequest", (event) => {
  if (event.detail.successful && event.detail.elt.dataset.away) {
    delete event.detail.elt.dataset.away;
    problem("");
  }
});

// A file that was made meanwhile is saved at once; its link stays.
document.addEventListener("htmx:load", (event) => {
  event.detail.elt.querySelector?.("[data-download]")?.click();
});

// What asks by itself how things stand goes on asking when an answer was no answer.
function askAgain(event) {
  const asking = event.detail.elt;
  if (!asking.getAttribute("hx-trigger")?.includes("asked-again")) return;
  asking.dataset.away = "1";
  setTimeout(() => {
    if (asking.isConnected) window.htmx.trigger(asking, "asked-again");
  }, 2000);
}

// --- display ---

const display = document.getElementById("display");
document.getElementById("display-button").addEventListener("click", () => {
  for (const choice of display.querySelectorAll("input")) {
    let chosen = "";
    try {
      chosen = localStorage.getItem(choice.name) ?? "";
    } catch {
      /* nothing is kept in a private window */
    }
    choice.checked = choice.value === chosen;
  }
  display.showModal();
});
display.addEventListener("change", ({ target }) => {
  try {
    localStorage.setItem(target.name, target.value);
  } catch {
    /* for this page only */
  }
  const detail = { name: target.name, value: target.value };
  document.dispatchEvent(new CustomEvent("display-chosen", { detail }));
});
document.getElementById("display-close").addEventListener("click", () => display.close());

// --- keys ---

const handlers = new Map();
const pedals = new Map();
const overlay = document.getElementById("keys");
const keySwitch = document.getElementById("keys-switch");
try {
  keySwitch.checked = localStorage.getItem("keys") !== "off";
} catch {
  /* stays on */
}
keySwitch.addEventListener("change", () => {
  try {
    localStorage.setItem("keys", keySwitch.checked ? "on" : "off");
  } catch {
    /* for this page only */
  }
});

/** A single-key shortcut; the player can switch all of them off. */
export function onKey(key, run) {
  handlers.set(key, run);
}

/** A pedal's or navigation key, which always works. */
export function onPedal(key, run) {
  pedals.set(key, run);
}

function typing(target) {
  return (
    target.closest(
      "input:not([type=checkbox]):not([type=radio]), textarea, select, [contenteditable]",
    ) !== null
  );
}

document.addEventListener("keydown", (event) => {
  if (event.ctrlKey || event.metaKey || event.altKey || overlay.open) return;
  const pedal = pedals.get(event.key);
  if (pedal && !(typing(event.target) && event.key !== "PageDown" && event.key !== "PageUp")) {
    event.preventDefault();
    if (!event.repeat) pedal(event);
    return;
  }
  if (typing(event.target) || !keySwitch.checked) return;
  // space presses what has the focus
  if (event.key === " " && event.target.closest("button, summary, input, audio")) return;
  if (event.key === "Enter") return;
  const run = handlers.get(event.key) ?? handlers.get(event.key.toLowerCase());
  if (run) {
    event.preventDefault();
    if (!event.repeat) run(event);
  }
});

for (const link of document.querySelectorAll(".rail-link"))
  onKey(link.dataset.key, () => link.click());
onKey("?", () => overlay.showModal());
document.getElementById("keys-button").addEventListener("click", () => overlay.showModal());
document.getElementById("keys-close").addEventListener("click", () => overlay.close());

// A link to something folded unfolds it.
const target = location.hash && document.getElementById(location.hash.slice(1));
if (target?.localName === "details") {
  target.open = true;
  target.scrollIntoView();
}

// Installed as an app, and without a connection, the browser still has a page that says so.
if ("serviceWorker" in navigator && window.isSecureContext) {
  navigator.serviceWorker.register("/worker.js").catch(() => {}); // then it is an ordinary page
}
