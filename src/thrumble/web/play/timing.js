// When everything of a take happens, in frames of the audio clock: count-in, bar 1 beat 1, the
// last bar's end, the end of the recording, and every sound that keeps time.

const LEAD_S = 0.35; // from now to the count-in's first sound
// a round that follows another is kept from so much before its first bar, and one that another
// follows to so much after its last
export const BEFORE_S = 0.25;
export const AFTER_S = 0.35;

/** plan: of the page, score: of what is heard, both in seconds at the riff's own tempo; chosen:
 *  { tempo, rounds }; nowS: the audio clock's time. */
export function timeTake(plan, score, chosen, rate, nowS) {
  const scale = plan.tempo / chosen.tempo;
  const first = Math.round((nowS + LEAD_S) * rate);
  const one = first + Math.round(score.countS * scale * rate);
  const counted = score.count.map(([s, sound, level]) => [
    one + Math.round(s * scale * rate),
    sound,
    level,
  ]);
  return {
    ...timeRounds(plan, score, chosen, rate, one, 0),
    first,
    beats: countBeats(plan, score, scale, rate, one),
    counted,
  };
}

/** The take that goes on where another ends. */
export function timeNext(plan, score, chosen, before) {
  const { rate, over: one, rounds, barsBefore } = before;
  return {
    ...timeRounds(plan, score, chosen, rate, one, barsBefore + rounds * score.bars),
    first: one - Math.round(BEFORE_S * rate),
    beats: [],
    counted: [],
  };
}

function timeRounds(plan, score, { tempo, rounds }, rate, one, barsBefore) {
  const scale = plan.tempo / tempo;
  const at = (seconds) => one + Math.round(seconds * scale * rate);
  const levelOf = (bar) => score.levels[(barsBefore + bar) % score.levels.length];
  const cues = [];
  const guitar = [];
  for (let n = 0; n < rounds; n++) {
    for (const [s, sound, level, bar] of score.round) {
      const heard = level * levelOf(n * score.bars + bar);
      if (heard > 0) cues.push([at(n * plan.round + s), sound, heard]);
    }
    const bars = plan.bars.filter((bar) => bar.number >= 1);
    guitar.push(
      bars.map((bar, k) => [at(n * plan.round + bar.start), levelOf(n * score.bars + k)]),
    );
  }
  const over = at(rounds * plan.round);
  const ring = Math.max(plan.ringOutLeast, plan.ringOut * scale);
  const end = over + Math.round(ring * rate);
  return { rate, scale, tempo, rounds, barsBefore, one, over, end, cues, guitar };
}

/** [frame, number] of every beat of the count-in. */
function countBeats(plan, score, scale, rate, one) {
  const bar = plan.bars.find((b) => b.number >= 1);
  const beat = (bar.end - bar.start) / bar.beats;
  const count = Math.round(score.countS / beat);
  return Array.from({ length: count }, (_, k) => {
    const place = k - count;
    return [
      one + Math.round(place * beat * scale * rate),
      (((place % bar.beats) + bar.beats) % bar.beats) + 1,
    ];
  });
}

/** The same a whole number of frames later: nothing of the plan itself changes. */
export function later(take, by) {
  const move = ([frame, ...rest]) => [frame + by, ...rest];
  return {
    ...take,
    first: take.first + by,
    one: take.one + by,
    over: take.over + by,
    end: take.end + by,
    cues: take.cues.map(move),
    counted: take.counted.map(move),
    guitar: take.guitar.map((bars) => bars.map(move)),
    beats: take.beats.map(move),
  };
}
