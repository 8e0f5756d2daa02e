// What is told of a take that begins: to the server, and to whoever plays into the page by machine.
import { givenSettings } from "../shared/recorder.js";

/** When what is due, as an event of the window. */
export function announce(name, take) {
  window.dispatchEvent(
    new CustomEvent(name, {
      detail: {
        firstFrame: take.first,
        startFrame: take.one,
        rate: take.rate,
        tempo: take.tempo,
        rounds: take.rounds,
        number: take.number,
        cues: [...take.counted, ...take.cues],
      },
    }),
  );
}

/** The take as it is kept and sent: `frame` is now, `along` what is heard beside it. */
export function begun(take, { plan, frame, track, tone, along }) {
  take.settings = givenSettings(track);
  return {
    title: plan.title,
    beganAt: Date.now() + ((take.first - frame) / take.rate) * 1000,
    take: null,
    state: "recording",
    report: null,
    refused: null,
    begin: {
      revision: plan.revision,
      tempo: take.tempo,
      rounds: take.rounds,
      start_frame: take.one - take.first,
      rate: take.rate,
      zone: Intl.DateTimeFormat().resolvedOptions().timeZone,
      device: track.label,
      tone,
      along,
    },
  };
}
