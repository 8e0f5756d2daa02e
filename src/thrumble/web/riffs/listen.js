// Listening to a riff as it stands in the text, from the simulated guitarist, round and round
// without a seam. What was asked for last is kept, so that starting it again takes no time.
import { onKey, problem, send } from "../shared/site.js";

const $ = (id) => document.getElementById(id);
let context = null;
let playing = null; // the node that sounds
let kept = null; // what was fetched last: { asked, buffer, begin, end }

function asked() {
  const form = new FormData($("listen-form"));
  form.set("source", $("source").value);
  return new URLSearchParams(/** @type {any} */ (form)).toString();
}

async function fetched(url) {
  const what = asked();
  if (kept?.asked === what) return kept;
  const headers = { "content-type": "application/x-www-form-urlencoded" };
  const answer = await send(url, { body: what, headers });
  const [begin, end] = ["x-round-begins", "x-round-ends"].map((n) => Number(answer.headers.get(n)));
  const buffer = await context.decodeAudioData(await answer.arrayBuffer());
  kept = { asked: what, buffer, begin, end };
  return kept;
}

document.addEventListener("alpine:init", () => {
  window.Alpine.data("listening", () => ({
    words: "Listen",
    pressed: "false",
    afterMs: "",
    init() {
      onKey("l", () => this.toggle());
      addEventListener("pagehide", () => this.stop());
    },
    show(words, pressed) {
      this.words = words;
      this.pressed = String(pressed);
    },
    stop() {
      playing?.stop();
      playing = null;
      this.show("Listen", false);
    },
    toggle() {
      if (playing) this.stop();
      else this.start();
    },
    again() {
      if (!playing) return;
      this.stop();
      this.start();
    },
    async start() {
      problem("");
      const begun = performance.now();
      context ??= new AudioContext({ latencyHint: "interactive" });
      await context.resume();
      this.show("Loading …", true);
      try {
        const { buffer, begin, end } = await fetched(this.$root.dataset.listen);
        const node = new AudioBufferSourceNode(context, {
          buffer,
          loop: $("listen-loop").checked,
          loopStart: begin,
          loopEnd: end,
        });
        node.connect(context.destination);
        node.onended = () => {
          if (playing === node) this.stop();
        };
        node.start(0, begin);
        playing = node;
        this.afterMs = String(Math.round(performance.now() - begun));
        this.show("Stop", true);
      } catch (error) {
        this.stop();
        problem(error.message);
      }
    },
  }));
});
