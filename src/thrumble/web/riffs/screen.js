// The text page: save by key, leave the text by Escape, never lose what was typed.
import { onKey, onPedal } from "../shared/site.js";

const form = document.getElementById("riff-form");
const text = document.getElementById("source");
const state = document.getElementById("saved-state");
const first = text.value;
let leaving = false;

const changed = () => text.value !== first;
text.addEventListener("input", () => {
  state.textContent = changed() ? "not saved yet" : "";
});
document.addEventListener("keydown", (event) => {
  if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === "s") {
    event.preventDefault();
    form.requestSubmit();
  }
});
document.addEventListener("htmx:beforeRequest", (event) => {
  if (event.detail.elt === form) leaving = true;
});
document.addEventListener("htmx:afterRequest", (event) => {
  if (event.detail.elt === form && !event.detail.xhr.getResponseHeader("HX-Redirect"))
    leaving = false;
});
addEventListener("beforeunload", (event) => {
  if (changed() && !leaving) event.preventDefault();
});

onKey("w", () => document.getElementById("desk").focus());
const play = document.getElementById("play-riff");
if (play) {
  onKey(" ", () => play.click());
  onPedal("PageDown", () => play.click());
}
