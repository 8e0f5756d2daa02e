// The second guitar: one round of it at every tempo that is played.
import { Refused } from "../shared/recorder.js";

const MAX = 4; // tempi at hand

export class Backing {
  base;
  guitars;

  /** base: the address that gives a round. */
  constructor(base) {
    Object.assign(this, { base, guitars: new Map() });
  }
  /** Has a tempo at hand, or forgets all where nobody plays along. */
  async ready(context, along, tempo) {
    const guitar = await this.of(context, along, tempo);
    if (!guitar) this.guitars.clear();
    else this.guitars.set(tempo, guitar);
    if (this.guitars.size > MAX) this.guitars.delete(this.guitars.keys().next().value);
  }
  /** One round: { buffer, one: seconds to bar 1, level, backing }; null where nobody plays. */
  async of(context, { backing, backing_level: level }, tempo) {
    if (backing === "none") return null;
    const there = this.guitars.get(tempo);
    if (there?.backing === backing) return { ...there, level };
    const answer = await fetch(`${this.base}/${backing}?tempo=${tempo}`, {
      headers: { accept: "application/json" },
    });
    if (!answer.ok) {
      const said = await answer.json().catch(() => null);
      throw new Refused(
        said?.problem ??
          "The second guitar can't be loaded just now. Press " +
            "space to try again, or choose none under What you hear.",
      );
    }
    const one = Number(answer.headers.get("x-bar-one"));
    const buffer = await context.decodeAudioData(await answer.arrayBuffer());
    return { buffer, one, level, backing };
  }
}
