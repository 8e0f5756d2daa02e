// The microphone and the audio clock in one context: what is heard and what is clicked share their
// frames.

const RATE = 48000;
const WISHES = { echoCancellation: false, noiseSuppression: false, autoGainControl: false };

export class Refused extends Error {}

const REASONS = {
  NotAllowedError: "The microphone is refused. Allow it for this page in the browser's address "
    + "bar, then press space.",
  NotFoundError: "No microphone or audio interface is found. Plug one in, then press space.",
  NotReadableError: "The input is in use by another program. Close it there, then press space.",
  OverconstrainedError: "The input chosen is gone. Choose another one, then press space.",
};

/** The same task asked for again while it runs is not begun twice: both callers wait for the
 *  one. */
export function oneAtATime(task) {
  let running = null;
  return () => (running ??= task().finally(() => { running = null; }));
}

/** Opens the input, with the application's click loaded if `clickBase` names it; calls
 *  onSound(frame, samples) for what comes in and onLost() if it goes away. */
export async function openInput({ deviceId, tapUrl, clickBase = null, onSound, onLost }) {
  if (!navigator.mediaDevices || !window.AudioWorkletNode) {
    throw new Refused(
      "This browser gives no microphone here. Open the page at http://127.0.0.1 or over https, "
      + "in a current browser."
      );
  }
  let stream;
  try {
    stream = await navigator.mediaDevices.getUserMedia({ audio: { ...WISHES, ...(deviceId ?
        { deviceId: { exact: deviceId } } : {}) } });
  } catch (error) {
    throw new Refused(REASONS[error.name] ??
      `The input does not open (${error.name}). Check it, then press space.`);
  }
  const context = new AudioContext({ sampleRate: RATE, latencyHint: "interactive" });
  const shut = () => { stream.getTracks().forEach((t) => t.stop());
    context.close(); };
  let clicks = null;
  try {
    await context.audioWorklet.addModule(tapUrl);
    if (clickBase) clicks = await loadClicks(context, clickBase);
    if (context.state === "suspended") await context.resume();
  } catch (error) { shut(); throw error; }
  const source = context.createMediaStreamSource(stream);
  const tap = new AudioWorkletNode(context, "tap", { numberOfInputs: 1, numberOfOutputs: 1,
    channelCount: 1, channelCountMode: "explicit" });
  const silent = new GainNode(context, { gain: 0 });
  source.connect(tap).connect(silent).connect(context.destination);
  tap.port.onmessage = ({ data }) => onSound(data.frame, data.pcm);
  const track = stream.getAudioTracks()[0];
  track.addEventListener("ended", onLost);
  return { context, track, clicks, close: () => { track.removeEventListener("ended", onLost);
      shut(); } };
}

async function loadClicks(context, base) {
  const load = async (kind) => {
    const answer = await fetch(`${base}/${context.sampleRate}/${kind}`);
    if (!answer.ok) throw new Error("the click could not be loaded. Try again.");
    const samples = new Float32Array(await answer.arrayBuffer());
    const buffer = new AudioBuffer({ length: samples.length, numberOfChannels: 1,
      sampleRate: context.sampleRate });
    buffer.copyToChannel(samples, 0);
    return buffer;
  };
  return { accent: await load("accent"), plain: await load("plain") };
}

/** Schedules clicks a second ahead on the audio clock; returns how to stop it. `clicks`:
 *  [frame, accented], in order. */
export function scheduleClicks({ context, clicks: sounds }, clicks) {
  const running = new Set();
  let next = 0;
  const work = () => {
    while (next < clicks.length && clicks[next][0] / context.sampleRate < context.currentTime +
      1.2) {
      const [frame, accented] = clicks[next++];
      const node = new AudioBufferSourceNode(context, { buffer: accented ? sounds.accent : sounds
          .plain });
      node.connect(context.destination);
      node.start(frame / context.sampleRate);
      running.add(node);
      node.onended = () => running.delete(node);
    }
  };
  work();
  const timer = setInterval(work, 100);
  return () => { clearInterval(timer); for (const node of running) { try { node
      .stop(); } catch { /* already over */ } } };
}

/** What the browser really gave, for the take's record. */
export function givenSettings(track) {
  const given = track.getSettings ? track.getSettings() : {};
  const keep = ["echoCancellation", "noiseSuppression", "autoGainControl", "sampleRate",
    "channelCount", "latency"];
  return { label: track.label, ...Object.fromEntries(keep.filter((k) => k in given).map((k) => [k,
      typeof given[k] === "object" ? String(given[k]) : given[k]])) };
}
