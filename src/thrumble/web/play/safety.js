// Where a take's sound is while it is not yet with the server, and whether there is room for it.
import { roomSeconds } from "../shared/keep.js";

const SOON_S = 3; // less than this not yet sent is nothing to tell

/** Of all rounds together. */
export class Safety {
  #kept = new Map(); // what of each take is still here, by its key

  /** In words, from what one take tells: empty once the server has nearly everything. */
  words(key, told) {
    this.#kept.set(key, told);
    if (told.state !== "away" && !told.waitingS) this.#kept.delete(key);
    const all = [...this.#kept.values()];
    const left = Math.round(all.reduce((sum, one) => sum + one.waitingS, 0));
    const words = `Kept here, ${left} s not yet sent`;
    const away = all.find(({ state }) => state === "away");
    if (away) return `${words}: ${away.problem || "Can't reach Thrumble. Retrying …"}`;
    return left >= SOON_S ? `${words}.` : "";
  }
}

/** Says when this browser may be too full for the take; it is played all the same, for what has
 *  arrived makes room. Null where there is room, or none can tell. */
export async function crowded(needed, rate) {
  const room = await roomSeconds(rate);
  if (room === null || room >= needed) return null;
  return (
    `This browser has room for ${Math.floor(room)} s of sound and this take lasts ` +
    `${Math.ceil(needed)} s. Free some disk space before you rely on it.`
  );
}
