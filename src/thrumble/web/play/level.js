// The input's level: its peak, falling slowly, whether it was ever at full scale, and how long
// nothing has come in.

const FULL = 0.999,
  SOUND = 0.003,
  QUIET_MS = 4000,
  FALL = 0.8,
  STEP_MS = 80;

export class Level {
  constructor() {
    this.peak = 0;
    this.clipped = false;
    this.soundAt = performance.now();
  }
  hear(samples) {
    let peak = 0;
    for (const s of samples) {
      const size = Math.abs(s);
      if (size > peak) peak = size;
    }
    if (peak > this.peak) this.peak = peak;
    if (peak >= FULL) this.clipped = true;
    if (peak > SOUND) this.soundAt = performance.now();
  }
  /** dB under full scale and what to say; called at a steady pace, for the peak falls each time. */
  step(open) {
    const db = this.peak > 0 ? Math.max(-60, 20 * Math.log10(this.peak)) : -60;
    this.peak *= FALL;
    if (!open) return { db: -60, words: "input closed" };
    if (this.clipped) return { db, words: "too loud: turn it down" };
    if (performance.now() - this.soundAt > QUIET_MS)
      return {
        db,
        words: "no signal: check cable and input",
      };
    return { db, words: `${Math.round(db)} dB` };
  }

  /** Shows it from now on: `view()`, the page's words once they are there; `open()`, the input. */
  watch(view, open) {
    const fill = document.getElementById("meter-fill"),
      meter = document.getElementById("meter");
    setInterval(() => {
      if (!view()) return;
      const { db, words } = this.step(open());
      Object.assign(view(), { meter: words, hot: this.clipped });
      fill.style.height = `${((db + 60) / 60) * 100}%`;
      meter.setAttribute("aria-valuenow", Math.round(db));
    }, STEP_MS);
  }
}
