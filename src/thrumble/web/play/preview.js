// What you hear, heard without playing: the count-in and the riff's first bars, as they are chosen.
import { resumed } from "../shared/recorder.js";
import { onKey, problem } from "../shared/site.js";
import { Sounding } from "../shared/sounding.js";
import { timeTake } from "./timing.js";

const $ = (id) => document.getElementById(id);
const LONGEST_S = 16;
const WORK_MS = 200;

export class Preview {
  backing;
  base;
  idle;
  plan;
  settings;
  tempo;

  /** base: where sounds are found; plan: of the page; settings, backing: of the page; tempo(): as
   *  typed; idle(): nothing is recorded now. */
  constructor(given) {
    Object.assign(this, given, { going: null });
    $("hear").addEventListener("click", () => this.toggle());
    onKey("l", () => this.toggle());
    addEventListener("pagehide", () => this.stop());
  }
  toggle() {
    if (this.going) this.stop();
    else this.start();
  }
  stop() {
    if (!this.going) return;
    clearInterval(this.going.timer);
    this.going.context.close();
    this.going = null;
    $("hear").setAttribute("aria-pressed", "false");
  }
  async start() {
    if (!this.idle()) return;
    problem("");
    const context = new AudioContext({ latencyHint: "interactive" });
    this.going = { context, timer: null };
    $("hear").setAttribute("aria-pressed", "true");
    try {
      await resumed(context);
      const { score, along } = await this.settings.ready();
      const tempo = this.tempo();
      const sounding = new Sounding(context, this.base);
      await sounding.load(this.settings.sounds);
      const guitars = await this.backing.of(context, along, tempo);
      if (this.going?.context !== context) return;
      const chosen = { tempo, rounds: 1 };
      const take = timeTake(this.plan, score, chosen, context.sampleRate, context.currentTime);
      const end = Math.min(take.over, take.first + LONGEST_S * take.rate);
      sounding.add([...take.counted, ...take.cues].filter(([frame]) => frame < end));
      if (guitars) sounding.guitar(take, guitars);
      this.going.timer = setInterval(() => {
        sounding.work();
        if (context.currentTime * take.rate > end) this.stop();
      }, WORK_MS);
    } catch (error) {
      this.stop();
      problem(error.message);
    }
  }
}
