// Comments on a take: where they are about, spoken ones, and listening from there.
import { problem, send } from "../shared/site.js";

const MAX_S = 60;
const strip = document.getElementById("strip");
const box = document.getElementById("comments");
const sound = document.getElementById("sound");
let loaded = null;

/** Jumps in the sound, once all of it is here. */
async function listenFrom(seconds) {
  if (!sound || document.getElementById("listen")) return; // the result's own page does it
  try {
    loaded ??= fetch(sound.src).then(async (answer) => {
      if (!answer.ok) throw new Error("This audio can't be played.");
      const blob = await answer.blob();
      await new Promise((resolve, reject) => {
        sound.onloadedmetadata = resolve;
        sound.onerror = () => reject(new Error("This audio can't be played."));
        sound.preload = "auto"; // without it Firefox waits with what it holds already
        sound.src = URL.createObjectURL(blob);
      });
    });
    await loaded;
    sound.currentTime = Math.max(0, seconds - 0.06);
    await sound.play();
  } catch (error) {
    loaded = null;
    if (error.name !== "AbortError") problem(error.message);
  }
}

const button = (hit) => document.querySelector(`.from[data-hit="${CSS.escape(hit)}"]`);

document.addEventListener("click", (event) => {
  const from = event.target.closest(".from");
  if (from) listenFrom(Number(from.dataset.from));
  const place = event.target.closest(".place");
  if (place?.dataset.hit) button(place.dataset.hit)?.click();
  const struck = event.target.closest("#strip [data-hit]");
  if (!struck) return;
  const bar = struck.closest("[data-bar]")?.dataset.bar ?? "";
  about(bar, struck.dataset.hit);
  if (!document.getElementById("listen")) button(struck.dataset.hit)?.click();
});

/** What the next comment is about. */
function about(bar, hit) {
  const choice = document.getElementById("comment-bar");
  if (!choice) return;
  choice.value = bar;
  document.getElementById("comment-hit").value = choice.value ? hit : "";
  document.getElementById("comment-place").textContent = hit && choice.value ? "this hit" : "";
}

let recording = null;
let said = null;

async function speak() {
  const here = document.getElementById("speak");
  if (recording) {
    recording.stop();
    return;
  }
  problem("");
  try {
    const stream = await navigator.mediaDevices.getUserMedia({ audio: true });
    const pieces = [];
    recording = new MediaRecorder(stream);
    recording.addEventListener("dataavailable", (event) => pieces.push(event.data));
    const limit = setTimeout(() => recording?.stop(), MAX_S * 1000);
    const began = performance.now();
    const clock = setInterval(() => {
      here.textContent = `Stop (${Math.floor((performance.now() - began) / 1000)} of ${MAX_S} s)`;
    }, 250);
    recording.addEventListener("stop", () => {
      clearTimeout(limit);
      clearInterval(clock);
      for (const track of stream.getTracks()) track.stop();
      said = new Blob(pieces, { type: recording.mimeType });
      recording = null;
      here.textContent = "Record it again";
      const heard = document.createElement("audio");
      heard.controls = true;
      heard.src = URL.createObjectURL(said);
      const drop = document.createElement("button");
      drop.type = "button";
      drop.className = "linkish";
      drop.textContent = "Discard";
      drop.addEventListener("click", forget);
      document.getElementById("spoken").replaceChildren(heard, drop);
    });
    recording.start();
  } catch {
    problem("Microphone access is blocked. Allow it in the address bar, or write your comment.");
  }
}

function forget() {
  said = null;
  document.getElementById("spoken").replaceChildren();
  document.getElementById("speak").textContent = "Record it";
}

async function submit(form) {
  const body = new FormData(form);
  if (recording) recording.stop();
  if (said) body.append("sound", said, "comment");
  const answer = await send(form.dataset.url, { body, headers: { accept: "text/html" } });
  said = null;
  window.htmx.swap(box, await answer.text(), { swapStyle: "innerHTML" });
  mark();
}

/** The bars that somebody said something about. */
function mark() {
  const bars = new Set(box.querySelector("[data-commented]")?.dataset.commented.split(" "));
  for (const bar of strip?.querySelectorAll("[data-bar]") ?? []) {
    bar.classList.toggle("commented", bars.has(bar.dataset.bar));
  }
}

if (box) {
  box.addEventListener("click", (event) => {
    if (event.target.id === "speak") speak();
  });
  box.addEventListener("change", (event) => {
    if (event.target.id === "comment-bar") about(event.target.value, "");
  });
  box.addEventListener("submit", (event) => {
    if (event.target.id !== "comment-form") return;
    event.preventDefault();
    submit(event.target).catch((error) => problem(error.message));
  });
  box.addEventListener("htmx:afterSwap", mark);
}
