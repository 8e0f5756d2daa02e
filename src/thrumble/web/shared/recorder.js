// The microphone and the audio clock in one context: what is heard and what is clicked share their
// frames.

import { Sounding } from "./sounding.js";

const RATE = 48000;
const PATIENCE_MS = 3000;
const WISHES = { echoCancellation: false, noiseSuppression: false, autoGainControl: false };

export class Refused extends Error {}

const REASONS = {
  NotAllowedError:
    "Microphone access is blocked. Allow it for this page in the browser's address " +
    "bar, then press space.",
  NotFoundError: "No microphone or audio interface is found. Plug one in, then press space.",
  NotReadableError: "The input is in use by another program. Close it there, then press space.",
  OverconstrainedError: "The input chosen is gone. Choose another one, then press space.",
};

/** The same task asked for again while it runs is not begun twice: both callers wait for the
 *  one. */
export function oneAtATime(task) {
  let running = null;
  return () => {
    running ??= task().finally(() => {
      running = null;
    });
    return running;
  };
}

/** Opens the input; calls onSound(frame, samples) for what comes in and onLost() if it goes away.
 *  `clickBase`: where the sounds lie that can be heard beside it. */
export async function openInput({ deviceId, tapUrl, clickBase = "", onSound, onLost }) {
  if (!navigator.mediaDevices || !window.AudioWorkletNode) {
    throw new Refused(
      "This browser won't allow the microphone here. Open the page at http://127.0.0.1 or over " +
        "https, in a current browser.",
    );
  }
  let stream;
  try {
    stream = await navigator.mediaDevices.getUserMedia({
      audio: { ...WISHES, ...(deviceId ? { deviceId: { exact: deviceId } } : {}) },
    });
  } catch (error) {
    throw new Refused(
      REASONS[error.name] ?? `The input doesn't open (${error.name}). Check it, then press space.`,
    );
  }
  const context = new AudioContext({ sampleRate: RATE, latencyHint: "interactive" });
  const shut = () => {
    for (const track of stream.getTracks()) track.stop();
    context.close();
  };
  try {
    await context.audioWorklet.addModule(tapUrl);
    if (context.state === "suspended") await resumed(context);
  } catch (error) {
    shut();
    throw error;
  }
  const source = context.createMediaStreamSource(stream);
  const tap = new AudioWorkletNode(context, "tap", {
    numberOfInputs: 1,
    numberOfOutputs: 1,
    channelCount: 1,
    channelCountMode: "explicit",
  });
  const silent = new GainNode(context, { gain: 0 });
  source.connect(tap).connect(silent).connect(context.destination);
  tap.port.onmessage = ({ data }) => onSound(data.frame, data.pcm);
  const track = stream.getAudioTracks()[0];
  track.onended = onLost;
  // asleep, or its output gone: the clock no longer runs
  const stood = () => {
    if (!["running", "closed"].includes(context.state)) onLost();
  };
  context.addEventListener("statechange", stood);
  const close = () => {
    track.onended = null;
    context.removeEventListener("statechange", stood);
    shut();
  };
  return { context, track, sounding: new Sounding(context, clickBase), close };
}

/** Starts the audio clock. A browser may let a page sound only after a key or a click, and without
 *  an output the clock stands still; neither says anything. Throws a Refused with the reason. */
export async function resumed(context) {
  const waited = new Promise((resolve) => setTimeout(resolve, PATIENCE_MS));
  await Promise.race([context.resume(), waited]);
  if (context.state === "running") return;
  const activation = /** @type {any} */ (navigator).userActivation;
  if (!(activation?.hasBeenActive ?? true)) {
    throw new Refused(
      "The browser is blocking sound. Press space, or click anywhere, to allow it.",
    );
  }
  const devices = await navigator.mediaDevices.enumerateDevices();
  throw new Refused(
    devices.some((device) => device.kind === "audiooutput")
      ? "The audio output doesn't start. Close other programs that use it, or choose another " +
          "output in your system's sound settings, then press space."
      : "No audio output is found, and without one the browser keeps no time. Plug in headphones " +
          "or speakers, then press space.",
  );
}

/** What the browser really gave, for the take's record. */
export function givenSettings(track) {
  const given = track.getSettings ? track.getSettings() : {};
  const keep = [
    "echoCancellation",
    "noiseSuppression",
    "autoGainControl",
    "sampleRate",
    "channelCount",
    "latency",
  ];
  return {
    label: track.label,
    ...Object.fromEntries(
      keep
        .filter((k) => k in given)
        .map((k) => [k, typeof given[k] === "object" ? String(given[k]) : given[k]]),
    ),
  };
}
