// What every page has: the token on requests for change, theme, keys, problems.

const token = document.querySelector('meta[name="token"]').content;

/** fetch with this page's token; throws an Error with the server's words if it says no. */
export async function send(url, { method = "POST", body = null, headers = {}, signal } = {}) {
  const response = await fetch(url, { method, body, signal, headers: { "x-thrumble-token": token, accept: "application/json", ...headers } });
  if (!response.ok) {
    const text = await response.text();
    let words = text;
    try { words = JSON.parse(text).problem; } catch { /* plain words */ }
    throw new Error(words || `The server answered ${response.status}.`);
  }
  return response;
}

document.addEventListener("htmx:configRequest", (event) => { event.detail.headers["x-thrumble-token"] = token; });

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
    const found = new DOMParser().parseFromString(event.detail.xhr.responseText, "text/html").querySelector("[data-problem]");
    problem(found ? found.textContent : event.detail.xhr.responseText.slice(0, 300));
  } else if (event.detail.requestConfig.verb !== "get") {
    problem("");
  }
});
document.addEventListener("htmx:sendError", () => problem("The application does not answer. Is it still running? Start it with ./run and try again."));

// --- theme -----------------------------------------------------------------------------------------------------------

document.getElementById("theme-button").addEventListener("click", () => {
  const next = document.documentElement.dataset.bsTheme === "dark" ? "light" : "dark";
  document.documentElement.dataset.bsTheme = next;
  try { localStorage.setItem("theme", next); } catch { /* private window: for this page only */ }
});

// --- keys ------------------------------------------------------------------------------------------------------------

const handlers = new Map();
const pedals = new Map();
const overlay = document.getElementById("keys");
const keySwitch = document.getElementById("keys-switch");
try { keySwitch.checked = localStorage.getItem("keys") !== "off"; } catch { /* stays on */ }
keySwitch.addEventListener("change", () => { try { localStorage.setItem("keys", keySwitch.checked ? "on" : "off"); } catch { /* for this page only */ } });

/** A single-key shortcut; the player can switch all of them off. */
export function onKey(key, run) { handlers.set(key, run); }

/** A pedal's or navigation key, which always works. */
export function onPedal(key, run) { pedals.set(key, run); }

function typing(target) {
  return target.closest("input:not([type=checkbox]):not([type=radio]), textarea, select, [contenteditable]") !== null;
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
  if (event.key === " " && event.target.closest("button, summary, input, audio")) return; // space presses what has the focus
  if (event.key === "Enter") return;
  const run = handlers.get(event.key) ?? handlers.get(event.key.toLowerCase());
  if (run) { event.preventDefault(); if (!event.repeat) run(event); }
});

for (const link of document.querySelectorAll(".rail-link")) onKey(link.dataset.key, () => link.click());
onKey("?", () => overlay.showModal());
document.getElementById("keys-button").addEventListener("click", () => overlay.showModal());
document.getElementById("keys-close").addEventListener("click", () => overlay.close());
