// When everything of a take happens, in frames of the audio clock: count-in, bar 1 beat 1, the
// last bar's end, the end of the recording.

const LEAD_S = 0.35; // from now to the count-in's first click

/** plan: of the page, in seconds at the riff's own tempo; chosen: { tempo, rounds, countBars,
 *  clicks }; nowS: the audio clock's time. */
export function timeTake(plan, chosen, rate, nowS) {
  const scale = plan.tempo / chosen.tempo;
  const frames = (seconds) => Math.round(seconds * scale * rate);
  const first = Math.round((nowS + LEAD_S) * rate);
  const bar = frames(plan.countBar),
    round = frames(plan.round);
  const one = first + chosen.countBars * bar;
  const over = one + chosen.rounds * round;
  const counted = every(chosen.countBars, bar, first, plan.count);
  const along = chosen.clicks ? every(chosen.rounds, round, one, plan.clicks) : [];
  return {
    rate,
    scale,
    rounds: chosen.rounds,
    first,
    one,
    over,
    end: over + Math.round(Math.max(plan.ringOutLeast, plan.ringOut * scale) * rate),
    clicks: [...counted, ...along],
    beats: counted.map(([frame]) => frame),
  };

  function every(times, step, from, list) {
    return Array.from({ length: times }, (_, k) => list.map(([s, accent]) => [from + k * step +
      frames(s), accent])).flat();
  }
}

/** The same a whole number of frames later: nothing of the plan itself changes. */
export function later(take, by) {
  return {
    ...take,
    first: take.first + by,
    one: take.one + by,
    over: take.over + by,
    end: take.end + by,
    clicks: take.clicks.map(([frame, accent]) => [frame + by, accent]),
    beats: take.beats.map((frame) => frame + by),
  };
}
