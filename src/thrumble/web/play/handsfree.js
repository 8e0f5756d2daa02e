// Playing without touching anything: a countdown, then a take, by the same buttons that a player
// would press; Page Up and Escape stop it.
import { onKey, onPedal } from "../shared/site.js";

const $ = (id) => document.getElementById(id);
const TICK_MS = 200;
const TAKING = ["count", "record", "arming"];
const GOING = ["opening", "reading", ...TAKING];
const WAITS = "Paused. Press space to continue.";

export class HandsFree {
  over;
  say;
  shown;
  skip;

  /** say(words); over(): a take was read, or could not be; skip(): Page Up between takes;
   *  shown(): at every tick. The countdown's seconds go into `#turn-rest`. */
  constructor({ say, over, skip, shown }) {
    Object.assign(this, { say, over, skip, shown, until: null, after: null, held: false });
    this.between = 8;
    const root = $("play");
    let { stage } = root.dataset;
    let dropped = false;
    new MutationObserver(() => {
      const was = stage;
      ({ stage } = root.dataset);
      if (stage === was || this.held) return;
      if (stage === "done") this.over();
      else if (stage === "idle" && TAKING.includes(was) && dropped) {
        this.count(this.between, "Once more. Recording starts by itself.", this.play);
      } else if (stage === "idle" && GOING.includes(was)) this.hold(WAITS);
      dropped = false;
    }).observe(root, { attributeFilter: ["data-stage"] });
    this.stage = () => stage;
    onPedal("PageUp", () => {
      if (TAKING.includes(stage)) {
        dropped = true;
        $("drop").click();
      } else if (!this.going) this.skip();
    });
    const down = () => this.goOn();
    onPedal("PageDown", down);
    onKey(" ", down);
    onPedal("Escape", () => {
      if (TAKING.includes(stage)) $("drop").click();
      this.hold(WAITS);
    });
    setInterval(() => {
      this.show();
      if (this.until !== null && !this.held && performance.now() >= this.until) this.now();
    }, TICK_MS);
  }
  get going() {
    return GOING.includes(this.stage());
  }
  play = () => {
    this.say("Page Up: stop and redo this take.");
    $("go").click();
  };
  /** Counts down, then does what comes after. */
  count(seconds, words, then) {
    this.until = performance.now() + seconds * 1000;
    this.after = then;
    this.held = false;
    this.say(words);
    this.show();
  }
  /** What comes after, at once. */
  now() {
    const then = this.after;
    this.stop();
    then?.();
  }
  stop() {
    this.until = null;
    this.after = null;
    this.show();
  }
  hold(words, then = this.play) {
    this.held = true;
    this.until = null;
    this.after = then;
    this.say(words);
    this.show();
  }
  /** Space and Page Down: what the countdown counts to; on where it waits. */
  goOn() {
    if (this.going) return;
    this.after ??= this.play;
    this.held = false;
    this.now();
  }
  show() {
    const counting = this.until !== null && !this.held;
    const left = counting ? Math.max(0, Math.ceil((this.until - performance.now()) / 1000)) : "";
    $("turn-rest").textContent = String(left);
    $("turn-rest").closest("section").dataset.counting = counting ? "yes" : "no";
    this.shown();
  }
}
