// The stages of a take, and what leads from one to the next. Nothing else changes the stage, so no
// stage is without a way out.
export const STAGES = {
  idle: { check: "checking", go: "opening" },
  checking: { opened: "idle", refused: "idle", lost: "idle", go: "opening" },
  opening: { opened: "arming", refused: "idle", lost: "idle", drop: "idle" },
  arming: { begun: "count", refused: "idle", lost: "idle", drop: "idle" },
  count: { one: "record", over: "reading", lost: "idle", drop: "idle" },
  record: { over: "reading", lost: "idle", drop: "idle" },
  reading: { read: "done", kept: "done", refused: "done" },
  done: { check: "checking", go: "opening", read: "done" },
};

export class Cycle {
  /** onStage(stage): told of every step. */
  constructor(onStage = (/** @type {string} */ _stage) => {}) {
    this.stage = "idle";
    this.attempt = 0;
    this.onStage = onStage;
  }
  /** Moves on and is true; where the event means nothing now, or belongs to an attempt that is
   *  over, nothing happens and it is false. */
  on(event, attempt = this.attempt) {
    const next = STAGES[this.stage][event];
    if (next === undefined || attempt !== this.attempt) return false;
    if (event === "go") this.attempt++;
    this.stage = next;
    this.onStage(next);
    return true;
  }
}
