// The takes of one recording: one after another without a break where the riff goes round and
// round. Sound goes to every take that it belongs to; each is kept, sent and read by itself.
import { Keeper } from "./keeper.js";
import { AFTER_S, timeNext } from "./timing.js";

const DECIDE_S = 1.6; // before a round ends it is settled what follows: its sounds go out ahead
const QUIET = 0.1; // of the usual level: so soft a bar was not played
const SILENT_BARS = 2;
const NOTHING = 0.01;

export class Run {
  done;
  guitars;
  input;
  judged;
  on;
  place;
  plan;
  round;
  score;
  struck;
  takes;
  told;
  urls;

  /** plan, score: as in timing.js; input: open; round: it goes round and round, and ends by itself
   *  where the player does; told(take): what the server is told of a take;
   *  urls; on: { next(take): tempo and rounds of the next one, or null where none follows;
   *  follows(take), ended(take), silent(), safe(key, state), trouble(words) }. */
  constructor({ plan, score, input, round, told, urls, on }) {
    Object.assign(this, { plan, score, input, round, told, urls, on, takes: [], guitars: null });
    this.name = crypto.randomUUID();
    this.usual = [];
    this.quiet = 0;
  }
  /** The take that is played at a frame: the first one in its count-in. */
  at(frame) {
    return this.takes.findLast((take) => take.one <= frame) ?? this.takes[0] ?? null;
  }

  begin(take) {
    this.add(take);
    this.input.sounding.add(take.counted);
    this.sound(take);
  }
  add(take) {
    const kept = { ...this.told(take), key: crypto.randomUUID() };
    const told = {
      onState: (state) => this.on.safe(kept.key, state),
      onTrouble: this.on.trouble,
    };
    take.keeper = new Keeper(kept, this.urls, told);
    take.clock = { first: [], last: [] };
    take.underruns = this.input.underruns;
    take.peaks = [];
    take.goesOn = false;
    this.takes.push(take);
  }
  sound(take) {
    const { sounding } = this.input;
    sounding.add(take.cues);
    const guitar = this.guitars?.get(take.tempo);
    if (guitar) sounding.guitar(take, guitar);
  }

  /** Sound from a frame of the audio clock on. */
  hear(frame, samples) {
    this.input.sounding.work();
    for (const take of [...this.takes]) this.keep(take, frame, samples);
    const newest = this.takes.at(-1);
    if (!newest) return;
    const end = frame + samples.length;
    if (!newest.settled && end >= newest.over - DECIDE_S * newest.rate) this.settle(newest);
    this.listen(this.at(frame), frame, samples);
  }
  keep(take, frame, samples) {
    watch(take.clock, this.input.context);
    const from = Math.max(0, take.first - frame);
    const to = Math.min(samples.length, take.end - frame);
    if (to > from) {
      take.keeper.add(frame + from - take.first, samples.slice(from, to));
      take.heardS = (frame + to - take.first) / take.rate;
    }
    if (frame + samples.length >= take.end) this.finish(take);
  }
  /** What follows a round: another one, or its ring-out. */
  settle(take) {
    take.settled = true;
    const chosen = this.on.next(take);
    if (!chosen) return;
    take.goesOn = true;
    take.end = take.over + Math.round(AFTER_S * take.rate);
    const next = {
      ...timeNext(this.plan, this.score, chosen, take),
      number: take.number + 1,
    };
    this.add(next);
    this.sound(next);
    this.on.follows(next);
  }
  finish(take) {
    this.takes.splice(this.takes.indexOf(take), 1);
    if (this.round && !take.played) {
      // the player had stopped: nobody wants to read that
      take.keeper.leave("discarded");
      if (!this.takes.length) this.on.silent();
      return;
    }
    const { first, last } = take.clock;
    take.sent = take.keeper.end({
      clock_slip_ms: Math.min(...last) - Math.min(...first),
      underruns: this.input.underruns - take.underruns,
      settings: take.settings,
      goes_on: take.goesOn,
    });
    this.on.ended(take);
  }
  /** Ends it all: takes that are not whole go (`discarded`) or wait (`cut`). Gives whether any was
   *  going on. */
  leave(why) {
    const { frame } = this.input;
    for (const take of this.takes.filter((one) => one.goesOn && one.over <= frame)) {
      this.finish(take); // only its ring-out is cut
    }
    const left = this.takes.splice(0);
    this.input.stopSounds();
    for (const take of left) take.keeper.leave(why);
    return left.length > 0;
  }
  flush() {
    for (const take of this.takes) take.keeper.flush();
  }

  /** Bar by bar how loud the player was: two bars without a hit where hits are due end it. */
  listen(take, frame, samples) {
    const bars = this.plan.bars.filter((bar) => bar.number >= 1);
    const at = (frame - take.one) / take.rate / take.scale;
    if (at < 0 || frame >= take.over) return;
    const round = Math.floor(at / this.plan.round);
    const inside = at - round * this.plan.round;
    const index = bars.findLastIndex((bar) => bar.start <= inside);
    const place = `${take.barsBefore}-${round}-${index}`;
    if (this.place !== place) this.barOver(place, bars[index].struck, take);
    for (const s of samples) {
      const size = Math.abs(s);
      if (size > this.peak) this.peak = size;
    }
  }
  barOver(place, struck, take) {
    if (this.place !== undefined && this.struck) {
      const middle = [...this.usual].sort((a, b) => a - b)[this.usual.length >> 1] ?? 0;
      const still = this.peak < Math.max(NOTHING, QUIET * middle);
      this.quiet = still ? this.quiet + 1 : 0;
      if (!still) {
        this.usual = [...this.usual.slice(-30), this.peak];
        this.judged.played = true;
      }
    }
    Object.assign(this, { place, struck, judged: take, peak: 0 });
    if (this.round && this.quiet >= SILENT_BARS) this.on.silent();
  }
}

// The audio clock steps in blocks, so a single look is off by some ms; the smallest of many
// differences is steady.
function watch(clock, context) {
  const difference = performance.now() - context.currentTime * 1000;
  if (clock.first.length < 25) clock.first.push(difference);
  clock.last.push(difference);
  if (clock.last.length > 25) clock.last.shift();
}

/** Seconds by which the audio clock has just fallen behind the page's: the machine was asleep.
 *  A busy one falls behind little by little, and its take goes on. */
export function sleptS(take) {
  const { last } = take.clock;
  return last.length ? (last.at(-1) - Math.min(...last)) / 1000 : 0;
}
