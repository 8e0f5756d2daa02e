// What is seen while a take goes on: the bar that is played and the next one, the count, the eye
// cue.

const $ = (id) => document.getElementById(id);

export class Show {
  cueMm;
  onBar;
  plan;
  view;

  /** view: the page's component, which holds the words; cueMm(): the least move that is called;
   *  onBar(): a bar begins. */
  constructor(plan, view, { cueMm, onBar }) {
    Object.assign(this, { plan, view, cueMm, onBar });
    this.shown = null;
    this.drawings = new Map(
      [...$("all-bars").children].map((svg) => [Number(svg.dataset.bar), svg]),
    );
    $("progress").replaceChildren(
      ...plan.bars.map((_, k) => {
        const box = document.createElement("i");
        box.dataset.index = k;
        return box;
      }),
    );
    this.clear();
  }
  get lastBar() {
    return this.plan.bars.at(-1).number;
  }
  clear() {
    this.shown = null;
    Object.assign(this.view, { bar: "–", count: "–", cue: "", barOf: `of ${this.lastBar}` });
    this.preview();
  }
  preview() {
    const [first, second] = this.plan.bars;
    this.place("now", first);
    this.place("next", second ?? null);
    Object.assign(this.view, this.partWords(first, second));
  }
  /** The section by name, and the one that begins at the next bar, where a riff has several. */
  partWords(bar, following) {
    const several = this.plan.bars.some((b) => b.section !== this.plan.bars[0].section);
    const other = several && following && following.section !== bar.section;
    const next = following ? "next" : "last bar";
    return {
      part: several ? bar.section : "",
      nextHead: other ? `next: ${following.section}` : next,
    };
  }
  place(where, bar) {
    $(where).replaceChildren();
    if (!bar) return;
    const drawing = this.drawings.get(bar.number).cloneNode(true);
    drawing.setAttribute("preserveAspectRatio", "xMinYMin meet");
    $(where).append(drawing);
  }
  /** The count-in at a frame of the audio clock. */
  countIn(take, frame) {
    const beat = take.beats.findLast(([at]) => at <= frame);
    this.view.count = beat ? String(beat[1]) : "–";
  }
  /** The riff at so many seconds of the written tempo. */
  at(take, seconds) {
    const round = Math.min(take.rounds - 1, Math.max(0, Math.floor(seconds / this.plan.round)));
    const inRound = seconds - round * this.plan.round;
    const index = Math.max(
      0,
      this.plan.bars.findLastIndex((b) => b.start <= inRound),
    );
    const bar = this.plan.bars[index];
    const place = `${take.barsBefore}-${round}-${index}`;
    if (this.shown !== place) {
      this.shown = place;
      this.onBar();
      this.barBegins(take, bar, index, round);
    }
    const inside = inRound - bar.start;
    const counts = $("now").querySelectorAll(".count");
    $("now")
      .querySelectorAll(".slot")
      .forEach((slot, k) => {
        const on = inside >= Number(slot.dataset.from) && inside < Number(slot.dataset.to);
        slot.classList.toggle("on", on);
        counts[k].classList.toggle("on", on);
      });
    this.look(inRound);
    this.view.count = String(
      Math.min(bar.beats, Math.floor(inside / ((bar.end - bar.start) / bar.beats)) + 1),
    );
  }
  /** The fret to look at, from the hit that the hand leaves on; the player says for which moves. */
  look(inRound) {
    const least = this.cueMm();
    const move = this.plan.moves.find((m) => m.mm >= least && m.from <= inRound && inRound < m.to);
    const cue = move ? `look: fret ${move.fret}` : "";
    if (this.view.cue !== cue) this.view.cue = cue;
  }
  roundWords(take, round) {
    const rounds = this.view.round
      ? `, pass ${take.number}`
      : `, pass ${round + 1} of ${take.rounds}`;
    return `of ${this.lastBar}${this.view.round || take.rounds > 1 ? rounds : ""}`;
  }
  barBegins(take, bar, index, round) {
    const again = round + 1 < take.rounds || this.view.round;
    const following =
      this.plan.bars[index + 1] ?? (again ? this.plan.bars.find((b) => b.number >= 1) : null);
    this.place("now", bar);
    this.place("next", following);
    Object.assign(this.view, {
      bar: bar.number === 0 ? "–" : String(bar.number),
      ...this.partWords(bar, following),
      barOf: this.roundWords(take, round),
    });
    for (const box of $("progress").children)
      box.className =
        Number(box.dataset.index) < index
          ? "past"
          : Number(box.dataset.index) === index
            ? "here"
            : "";
  }
}
