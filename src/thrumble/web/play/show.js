// What is seen while a take goes on: the bar that is played and the next one, the count, the eye
// cue.

const $ = (id) => document.getElementById(id);

export class Show {
  /** view: the page's component, which holds the words. */
  constructor(plan, view) {
    this.plan = plan;
    this.view = view;
    this.shown = null;
    this.drawings = new Map([...$("all-bars").children].map((svg) => [Number(svg.dataset.bar),
      svg]));
    $("progress").replaceChildren(...plan.bars.map((_, k) => {
      const box = document.createElement(
        "i");
      box.dataset.index = k;
      return box;
    }));
    this.clear();
  }
  get lastBar() { return this.plan.bars.at(-1).number; }
  clear() {
    this.shown = null;
    Object.assign(this.view, { bar: "–", count: "–", cue: "", barOf: `of ${this.lastBar}` });
    this.preview();
  }
  preview() {
    this.place("now", this.plan.bars[0]);
    this.place("next", this.plan.bars[1] ?? null);
  }
  place(where, bar) {
    $(where).replaceChildren();
    if (bar) $(where).append(this.drawings.get(bar.number).cloneNode(true));
  }
  /** The count-in at a frame of the audio clock. */
  countIn(take, frame) {
    const beat = take.beats.findLastIndex((f) => f <= frame);
    this.view.count = beat < 0 ? "–" : String((beat % this.plan.count.length) + 1);
  }
  /** The riff at so many seconds of the written tempo. */
  at(take, seconds) {
    const round = Math.min(take.rounds - 1, Math.max(0, Math.floor(seconds / this.plan.round)));
    const inRound = seconds - round * this.plan.round;
    const index = Math.max(0, this.plan.bars.findLastIndex((b) => b.start <= inRound));
    const bar = this.plan.bars[index];
    if (this.shown !== `${round}-${index}`) {
      this.shown = `${round}-${index}`;
      this.barBegins(take, bar, index, round);
    }
    const inside = inRound - bar.start;
    const counts = $("now").querySelectorAll(".count");
    $("now").querySelectorAll(".slot").forEach((slot, k) => {
      const on = inside >= Number(slot.dataset.from) && inside < Number(slot.dataset.to);
      slot.classList.toggle("on", on);
      counts[k].classList.toggle("on", on);
    });
    this.look(inRound);
    this.view.count = String(Math.min(bar.beats, Math.floor(inside / ((bar.end - bar.start) / bar
      .beats)) + 1));
  }
  /** The fret to look at, from the hit that the hand leaves on; the player says for which moves. */
  look(inRound) {
    const least = Number($("eye-cue").value);
    const move = this.plan.moves.find((m) => m.mm >= least && m.from <= inRound && inRound < m
    .to);
    const cue = move ? `look: fret ${move.fret}` : "";
    if (this.view.cue !== cue) this.view.cue = cue;
  }
  barBegins(take, bar, index, round) {
    const following = this.plan.bars[index + 1] ?? (round + 1 < take.rounds ? this.plan.bars.find(
      (b) => b.number >= 1) : null);
    this.place("now", bar);
    this.place("next", following);
    Object.assign(this.view, {
      bar: bar.number === 0 ? "–" : String(bar.number),
      nextHead: following ? "next" : "last bar",
      barOf: `of ${this.lastBar}${take.rounds > 1 ? `, round ${round + 1} of ${take.rounds}` : ""}`,
    });
    for (const box of $("progress").children) box.className = Number(box.dataset.index) < index ?
      "past" : Number(box.dataset.index) === index ? "here" : "";
  }
}
