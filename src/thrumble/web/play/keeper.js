// Writes a take's sound into this browser while it is recorded, a quarter of a second at a time,
// and has it sent from there.
import * as keep from "../shared/keep.js";
import { Sender } from "../shared/sender.js";

const BLOCKS_A_SECOND = 4;
const RETRY_MS = 500;

export class Keeper {
  /** take: as `keep.putTake` has it; urls: of the server; onState: what the sender tells;
   *  onTrouble(words): this browser cannot keep the sound. */
  constructor(take, urls, { onState, onTrouble }) {
    this.key = take.key;
    this.size = Math.round(take.begin.rate / BLOCKS_A_SECOND);
    this.parts = [];
    this.held = 0;
    this.first = null;
    this.expected = null;
    this.gaps = 0;
    this.onTrouble = onTrouble;
    this.sender = new Sender(take.key, urls, onState);
    this.written = keep.putTake(take);
    this.arrived = this.written.then(
      () =>
        new Promise((resolve) => {
          keep.holding(this.key, async () => resolve(await this.sender.run()));
        }),
    );
  }
  /** Samples from a frame of the take on. */
  add(frame, samples) {
    if (this.expected !== null && frame !== this.expected) {
      this.gaps += Math.max(0, frame - this.expected);
      this.flush();
    }
    if (this.first === null) this.first = frame;
    this.parts.push(samples);
    this.held += samples.length;
    this.expected = frame + samples.length;
    if (this.held >= this.size) this.flush();
  }
  flush() {
    if (!this.held) return;
    const block = new Float32Array(this.held),
      frame = this.first;
    let at = 0;
    for (const part of this.parts) {
      block.set(part, at);
      at += part.length;
    }
    this.parts = [];
    this.held = 0;
    this.first = null;
    this.written = this.written.then(() => this.write(frame, block));
  }
  /** Until it is written: what has arrived already makes room. */
  async write(frame, block) {
    for (let tries = 0; ; tries++) {
      try {
        await keep.putBlock(this.key, frame, block);
        if (tries) this.onTrouble("");
        // the count goes on
        if (this.sender.state === "away" && Math.floor(frame / this.size) % BLOCKS_A_SECOND === 0)
          this.sender.tell("away");
        return;
      } catch {
        this.onTrouble(
          "This browser has no room left for the take. It's kept in memory: free some disk " +
            "space, and leave this tab open.",
        );
        await keep.makeRoom(this.key).catch(() => {});
        await new Promise((go) => setTimeout(go, RETRY_MS));
      }
    }
  }
  /** The take is whole: resolves to its number on the server once that has all of it, to null
   *  where it was refused. */
  async end(report) {
    this.flush();
    await this.written;
    await keep.changeTake(this.key, {
      state: "ended",
      report: {
        ...report,
        gap_frames: this.gaps,
      },
    });
    this.sender.hurry();
    return this.arrived;
  }
  /** The take was cut off, or is not wanted: what was recorded so far is sent and waits, or
   *  goes. */
  async leave(state) {
    this.flush();
    await this.written;
    await keep.changeTake(this.key, { state });
    this.sender.hurry();
    return this.arrived;
  }
}
