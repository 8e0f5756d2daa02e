// What is said of a round while the next one is played: asked for as soon as it is there, shown at
// the next bar line, never in the middle of a bar.

const $ = (id) => document.getElementById(id);
const SHOWN = 8; // rounds in the row

export class Verdicts {
  onStep;
  takes;

  /** takes: the address of takes; onStep(tempo): how fast a round says to go on. */
  constructor(takes, onStep) {
    Object.assign(this, { takes, onStep, waiting: null, row: [] });
    this.told = 0; // the newest round of which anything was said
    this.show(null);
    $("rounds-row").replaceChildren();
  }
  /** Asks until a round has been read. */
  async follow(number, round, endedMs) {
    for (let polls = 0; ; polls++) {
      let verdict = null;
      try {
        const address = `${this.takes}/${number}/verdict?polls=${polls}`;
        const answer = await fetch(address, { headers: { accept: "application/json" } });
        verdict = answer.ok ? await answer.json() : null;
      } catch {
        /* asked again */
      }
      if (verdict?.state === "read" || verdict?.state === "failed") {
        this.came({ ...verdict, number, round, ms: Math.round(performance.now() - endedMs) });
        return;
      }
      await new Promise((go) => setTimeout(go, verdict?.ask_again_ms ?? 2000));
    }
  }
  /** A round that was read late, after an outage, only joins the row. */
  came(told) {
    if (told.state === "read") {
      this.row = [...this.row, told].sort((a, b) => a.round - b.round).slice(-SHOWN);
    }
    if (told.round > this.told) {
      this.told = told.round;
      this.waiting = told;
      if (told.step) this.onStep(told.step);
    }
    $("play").dataset.verdictMs = told.ms;
  }
  /** At a bar line. */
  barLine() {
    if (!this.waiting) return;
    this.show(this.waiting);
    this.waiting = null;
  }
  show(told) {
    $("round-verdict").hidden = !told;
    if (!told) return;
    const read = told.state === "read";
    $("round-words").textContent = read
      ? told.words
      : "We couldn't analyse this pass. It's saved: look at it when you've stopped.";
    $("round-clean").textContent = read ? told.clean : "–";
    $("round-of").textContent = read ? `of ${told.of} clean` : "";
    $("round-name").textContent = `Pass ${told.round}${read ? `, ${told.tempo} bpm` : ""}`;
    $("rounds-row").replaceChildren(
      ...this.row.map((one) => {
        const item = document.createElement("li");
        item.textContent = `${one.round}: ${one.clean} of ${one.of} at ${one.tempo}`;
        return item;
      }),
    );
  }
}
