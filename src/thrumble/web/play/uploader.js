// Sends a take's sound while it is recorded, one second at a time and in order, and tries again when the line is gone for a moment.
import { send } from "../shared/site.js";

const FRAMES = 48000;
const TRIES = 6;

export class Uploader {
  /** takeUrl: the take's address; onTrouble(words) tells the player, "" when it is over. */
  constructor(takeUrl, onTrouble) {
    this.takeUrl = takeUrl; this.onTrouble = onTrouble;
    this.parts = []; this.size = 0; this.first = null; this.expected = null;
    this.troubled = false;
    this.gaps = 0; this.chain = Promise.resolve(); this.failed = null;
  }
  /** Samples from a frame of the take on. */
  add(frame, samples) {
    if (this.expected !== null && frame !== this.expected) { this.gaps += Math.max(0, frame - this.expected); this.flush(); }
    if (this.first === null) this.first = frame;
    this.parts.push(samples); this.size += samples.length; this.expected = frame + samples.length;
    if (this.size >= FRAMES) this.flush();
  }
  flush() {
    if (!this.size) return;
    const body = new Float32Array(this.size);
    let at = 0;
    for (const part of this.parts) { body.set(part, at); at += part.length; }
    const frame = this.first;
    this.parts = []; this.size = 0; this.first = null;
    this.chain = this.chain.then(() => this.post(frame, body)).catch((error) => { this.failed ??= error; });
  }
  async post(frame, body) {
    if (this.failed) return;
    for (let attempt = 1; ; attempt++) {
      try {
        await send(`${this.takeUrl}/chunk?frame=${frame}`, { body, headers: { "content-type": "application/octet-stream" } });
        if (this.troubled) this.onTrouble("");
        this.troubled = false;
        return;
      } catch (error) {
        if (attempt >= TRIES || !(error instanceof TypeError)) throw error;
        this.troubled = true;
        this.onTrouble("The application does not answer; the sound is kept here and sent again.");
        await new Promise((done) => setTimeout(done, 400 * attempt));
      }
    }
  }
  /** All sound sent; throws what went wrong. */
  async finish(report) {
    this.flush();
    await this.chain;
    if (this.failed) throw this.failed;
    await send(`${this.takeUrl}/finish`, { body: JSON.stringify({ ...report, gap_frames: this.gaps }), headers: { "content-type": "application/json" } });
  }
}
