// A rest between two takes, counted down; then the next one comes by itself.

const TICK_MS = 200;

export class Rest {
  onOver;
  onTick;

  /** onTick(words), onOver(). */
  constructor({ onTick, onOver }) {
    Object.assign(this, { onTick, onOver, until: null });
  }
  begin(seconds) {
    this.stop();
    this.until = performance.now() + seconds * 1000;
    this.timer = setInterval(() => this.tick(), TICK_MS);
    this.tick();
  }
  tick() {
    const left = Math.ceil((this.until - performance.now()) / 1000);
    if (left > 0) {
      this.onTick(`Shake out. The next take comes in ${left} s. Page Up: stop here.`);
      return;
    }
    this.stop();
    this.onOver();
  }
  /** True where a rest was going on. */
  stop() {
    const going = this.until !== null;
    clearInterval(this.timer);
    this.until = null;
    return going;
  }
}
