// The second guitar: one round of it at every tempo that is played.
import { Refused } from "../shared/recorder.js";

const MOST = 4; // tempi at hand

export class Backing {
  /** base: the address that gives a round. */
  constructor(base) { Object.assign(this, { base, guitars: new Map() }); }
  /** Has these tempi at hand: { buffer, one: seconds to bar 1, level }; none where nobody plays
   *  along. */
  async ready(context, { backing, backing_level: level }, tempi) {
    if (backing === "none") {
      this.guitars.clear();
      return;
    }
    for (const tempo of tempi) {
      const there = this.guitars.get(tempo);
      if (there?.backing === backing) {
        there.level = level;
        continue;
      }
      const answer = await fetch(`${this.base}/${backing}?tempo=${tempo}`, {
        headers: { accept: "application/json" },
      });
      if (!answer.ok) {
        const said = await answer.json().catch(() => null);
        throw new Refused(said?.problem ?? "The second guitar can't be loaded just now. Press " +
          "space to try again, or choose nobody under What you hear.");
      }
      const one = Number(answer.headers.get("x-bar-one"));
      const buffer = await context.decodeAudioData(await answer.arrayBuffer());
      this.guitars.set(tempo, { buffer, one, level, backing });
      if (this.guitars.size > MOST) this.guitars.delete(this.guitars.keys().next().value);
    }
  }
}
