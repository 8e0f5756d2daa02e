// Listening to a riff as it stands in the text, from the simulated guitarist, round and round
// without
// a seam. What was asked for last is kept, so that starting it again takes no time.
import { onKey, problem, send } from "../shared/site.js";

const $ = (id) => document.getElementById(id);
const button = $("listen-riff");
let context = null;
let playing = null; // the node that sounds
let kept = null; // what was fetched last: { asked, buffer, begin, end }

function asked() {
  const form = new FormData($("listen-form"));
  form.set("source", $("source").value);
  return new URLSearchParams(form).toString();
}

async function fetched(what) {
  if (kept?.asked === what) return kept;
  const headers = { "content-type": "application/x-www-form-urlencoded" };
  const answer = await send(button.dataset.listen, { body: what, headers });
  const [begin, end] = ["x-round-begins", "x-round-ends"].map((n) => Number(answer.headers.get(n)));
  const buffer = await context.decodeAudioData(await answer.arrayBuffer());
  kept = { asked: what, buffer, begin, end };
  return kept;
}

function show(words, pressed) {
  button.firstChild.textContent = `${words} `;
  button.setAttribute("aria-pressed", pressed);
}

function stop() {
  playing?.stop();
  playing = null;
  show("Listen", false);
}

async function listen() {
  if (playing) { stop(); return; }
  problem("");
  const begun = performance.now();
  context ??= new AudioContext({ latencyHint: "interactive" });
  await context.resume();
  show("Getting it …", true);
  try {
    const { buffer, begin, end } = await fetched(asked());
    const node = new AudioBufferSourceNode(context, {
      buffer, loop: $("listen-loop").checked, loopStart: begin, loopEnd: end,
    });
    node.connect(context.destination);
    node.onended = () => { if (playing === node) stop(); };
    node.start(0, begin);
    playing = node;
    button.dataset.afterMs = Math.round(performance.now() - begun);
    show("Stop", true);
  } catch (error) {
    stop();
    problem(error.message);
  }
}

button.addEventListener("click", listen);
onKey("l", listen);
$("listen-form").addEventListener("change", () => { if (playing) { stop(); listen(); } });
$("listen-form").addEventListener("submit", (event) => event.preventDefault());
addEventListener("pagehide", stop);
