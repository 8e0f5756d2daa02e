// Short pieces of sound for measurements and drills: opened inputs, stretches cut out by the audio
// clock's own frames, and sending them.

import { oneAtATime, openInput } from "./recorder.js";
import { send } from "./site.js";

const KEEP_S = 70; // of sound, at most

export class Listener {
  constructor({
    tapUrl,
    clickBase = "",
    onSound = (/** @type {number} */ _frame, /** @type {Int16Array} */ _pcm) => {},
    onLost = () => {},
  }) {
    this.tapUrl = tapUrl;
    this.clickBase = clickBase;
    this.onSound = onSound;
    this.onLost = onLost;
    this.input = null;
    this.blocks = [];
    this.waiting = [];
  }
  get rate() {
    return this.input.context.sampleRate;
  }
  get device() {
    return this.input.track.label || "";
  }
  open = oneAtATime(async () => {
    if (this.input && this.input.track.readyState === "live") return;
    this.blocks = [];
    this.input = await openInput({
      deviceId: null,
      tapUrl: this.tapUrl,
      clickBase: this.clickBase,
      onSound: (frame, pcm) => this.hear(frame, pcm),
      onLost: () => {
        this.close();
        this.onLost();
      },
    });
    if (this.clickBase) await this.input.sounding.load(["accent", "plain"]);
  });
  close() {
    if (this.input) this.input.close();
    this.input = null;
    for (const one of this.waiting) one.reject(new Error("The input was closed."));
    this.waiting = [];
  }
  hear(frame, pcm) {
    if (!this.input) return; // closed while this piece was on its way
    this.input.sounding.work();
    this.blocks.push([frame, pcm]);
    const oldest = frame - KEEP_S * this.rate;
    while (this.blocks.length && this.blocks[0][0] < oldest) this.blocks.shift();
    const end = frame + pcm.length;
    for (const one of [...this.waiting])
      if (end >= one.to) {
        this.waiting.splice(this.waiting.indexOf(one), 1);
        one.resolve(this.cut(one.from, one.to));
      }
    this.onSound(frame, pcm);
  }
  /** The sound between two frames of the audio clock; what did not arrive is silence. */
  cut(from, to) {
    const out = new Float32Array(to - from);
    for (const [frame, pcm] of this.blocks) {
      const a = Math.max(from, frame),
        b = Math.min(to, frame + pcm.length);
      if (b > a) out.set(pcm.subarray(a - frame, b - frame), a - from);
    }
    return out;
  }
  /** Waits until all of it has come in. */
  stretch(from, to) {
    return new Promise((resolve, reject) => this.waiting.push({ from, to, resolve, reject }));
  }
  now() {
    return Math.round(this.input.context.currentTime * this.rate);
  }
  /** Clicks, [frame, accented] in order; returns how to stop them. */
  play(list) {
    const { sounding } = this.input;
    sounding.add(list.map(([frame, accented]) => [frame, accented ? "accent" : "plain", 1]));
    return () => sounding.stop();
  }
}

export async function sendSound(url, parameters, samples) {
  return send(`${url}?${new URLSearchParams(parameters)}`, {
    body: samples,
    headers: { "content-type": "application/octet-stream" },
  });
}
