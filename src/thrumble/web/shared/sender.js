// Sends kept takes to the server, in any order and as often as it takes: over outages, reloads,
// sleeping laptops. A take leaves the browser
// only when the server has confirmed all of it.

import * as keep from "./keep.js";
import { Refusal, send } from "./site.js";

const PIECE_FRAMES = 96000; // what one request carries at most
const WAITS_MS = [300, 700, 1500, 3000, 6000, 12000, 20000];
const JSON_HEADERS = { "content-type": "application/json" };

/** Sends one take until all of it has arrived, or the server refuses it for good. */
export class Sender {
  /** urls: { begin, takes }; onState({ state, waitingS, problem }): what the player may want to
   *  know. */
  constructor(key, urls, onState = (/** @type {object} */ _state) => {}) {
    this.key = key;
    this.urls = urls;
    this.onState = onState;
    this.failures = 0;
    this.wake = null;
    this.stopped = false;
    this.take = null;
    this.owner = {};
    this.state = "sending";
  }
  hurry() {
    this.failures = Math.min(this.failures, 1);
    this.wake?.();
  }
  stop() {
    this.stopped = true;
    this.wake?.();
  }
  /** Works until the take is finished, discarded or refused; resolves to the server's number of
   *  it, or null. */
  async run() {
    const hurry = () => {
      if (!document.hidden) this.hurry();
    };
    addEventListener("online", hurry);
    document.addEventListener("visibilitychange", hurry);
    try {
      return await this.work();
    } finally {
      removeEventListener("online", hurry);
      document.removeEventListener("visibilitychange", hurry);
    }
  }
  async work() {
    while (!this.stopped) {
      try {
        const over = await this.step();
        this.failures = 0;
        if (over) {
          await this.tell("sent");
          return this.take;
        }
      } catch (error) {
        if (error instanceof Refusal && error.final) {
          await this.tell("refused", error.message);
          await keep.changeTake(this.key, { refused: error.message });
          return null;
        }
        this.failures++;
        const signedOut = error instanceof Refusal && error.status === 401;
        await this.tell("away", signedOut ? error.message : "");
        await this.pause(
          error.retryS
            ? error.retryS * 1000
            : WAITS_MS[Math.min(this.failures - 1, WAITS_MS.length - 1)] *
                (0.8 + 0.4 * Math.random()),
        );
      }
    }
    return null;
  }
  pause(ms) {
    return new Promise((resolve) => {
      const timer = setTimeout(resolve, ms);
      this.wake = () => {
        clearTimeout(timer);
        resolve();
      };
    }).then(() => {
      this.wake = null;
    });
  }
  async tell(state, problem = "") {
    this.state = state;
    const kept = await keep.getTake(this.key);
    const blocks = kept ? (await keep.listBlocks(this.key)).filter((b) => !b.sent) : [];
    this.onState({
      state,
      waitingS: kept ? blocks.reduce((sum, b) => sum + b.count, 0) / kept.begin.rate : 0,
      problem,
    });
  }
  /** One thing done; true when nothing is left to do. */
  async step() {
    const kept = await keep.getTake(this.key);
    if (!kept) return true;
    this.take = kept.take;
    if (kept.player) this.owner = { "x-thrumble-player": kept.player };
    if (kept.state === "discarded") return this.discard(kept);
    if (kept.take === null) {
      await this.begin(kept);
      return false;
    }
    const blocks = await keep.listBlocks(this.key);
    const waiting = blocks.filter((b) => !b.sent);
    if (
      waiting.length &&
      (kept.state !== "recording" ||
        waiting.reduce((sum, b) => sum + b.count, 0) >= kept.begin.rate)
    ) {
      await this.sendSome(kept, waiting);
      await this.tell("sending");
      return false;
    }
    if (kept.state === "ended") return this.finish(kept, blocks);
    if (kept.state === "cut") return blocks.length ? this.leave() : this.discard(kept);
    await this.pause(400); // more sound is on its way
    return false;
  }
  async begin(kept) {
    const body = JSON.stringify({
      ...kept.begin,
      key: this.key,
      age_s: Math.max(0, (Date.now() - kept.beganAt) / 1000),
    });
    const { take } = await (
      await send(this.urls.begin, { body, headers: { ...JSON_HEADERS, ...this.owner } })
    ).json();
    await keep.changeTake(this.key, { take });
  }
  async sendSome(kept, waiting) {
    const first = waiting[0].frame,
      run = [];
    let end = first;
    for (const block of waiting) {
      if (block.frame !== end || end + block.count - first > PIECE_FRAMES) break;
      run.push(block);
      end += block.count;
    }
    const body = new Float32Array(end - first);
    for (const { frame } of run) {
      const samples = await keep.getSound(this.key, frame);
      if (samples) body.set(samples, frame - first);
    }
    await send(`${this.urls.takes}/${kept.take}/chunk?frame=${first}`, {
      body,
      headers: { "content-type": "application/octet-stream", ...this.owner },
    });
    await keep.markSent(
      this.key,
      run.map((b) => b.frame),
    );
  }
  async finish(kept, blocks) {
    if (!blocks.length) {
      await keep.dropTake(this.key);
      return true;
    }
    const body = JSON.stringify({ ...kept.report, spans: keep.spansOf(blocks) });
    try {
      await send(`${this.urls.takes}/${kept.take}/finish`, {
        body,
        headers: { ...JSON_HEADERS, ...this.owner },
      });
    } catch (error) {
      if (!error.missing?.length) throw error;
      const touched = blocks.filter(({ frame, count }) =>
        error.missing.some(([from, to]) => frame < to && frame + count > from),
      );
      await keep.markSent(
        this.key,
        touched.map((block) => block.frame),
        0,
      );
      return false;
    }
    await keep.dropTake(this.key);
    return true;
  }
  /** All that was recorded of a take that was cut off has arrived: it waits to be finished on
   *  the server. */
  async leave() {
    await keep.dropTake(this.key);
    return true;
  }
  async discard(kept) {
    if (kept.take !== null) {
      const url = `${this.urls.takes}/${kept.take}/discard`;
      try {
        await send(url, { headers: this.owner });
      } catch (error) {
        if (!(error instanceof Refusal) || !error.final) throw error;
      }
    }
    await keep.dropTake(this.key);
    return true;
  }
}
