// What is heard while playing, on the audio clock that records: every sound begins at a frame of
// it. Nothing here waits for a timer: browsers slow those down in a page that is not looked at.

const AHEAD_S = 1.2;
const known = new Map(); // samples by address, for as long as the page lives

async function samplesOf(url) {
  if (known.has(url)) return known.get(url);
  const answer = await fetch(url);
  if (!answer.ok) throw new Error("the click could not be loaded. Try again.");
  const samples = new Float32Array(await answer.arrayBuffer());
  known.set(url, samples);
  return samples;
}

export class Sounding {
  base;
  context;

  /** base: where sounds by name are found, at the context's rate. */
  constructor(context, base) {
    Object.assign(this, { context, base });
    this.out = new GainNode(context);
    this.out.connect(context.destination);
    this.buffers = new Map();
    this.waiting = [];
    this.running = new Set();
  }
  get rate() {
    return this.context.sampleRate;
  }
  /** Has these sounds at hand. */
  async load(names) {
    for (const name of new Set(names)) {
      if (this.buffers.has(name)) continue;
      const samples = await samplesOf(`${this.base}/${this.rate}/${name}`);
      const buffer = new AudioBuffer({
        length: samples.length,
        numberOfChannels: 1,
        sampleRate: this.rate,
      });
      buffer.copyToChannel(samples, 0);
      this.buffers.set(name, buffer);
    }
  }
  /** cues: [frame, sound, level] in order, none before those that are waiting. */
  add(cues) {
    this.waiting.push(...cues);
    this.work();
  }
  /** Hands on what is due soon; called with every piece of sound that comes in. */
  work() {
    const until = (this.context.currentTime + AHEAD_S) * this.rate;
    while (this.waiting.length && this.waiting[0][0] < until) {
      const [frame, sound, level] = this.waiting.shift();
      this.start(this.buffers.get(sound), frame, [[frame, level]]);
    }
  }
  /** A buffer from a frame on, from `offset` seconds in it; levels: [frame, level] from when on it
   *  is how loud. */
  start(buffer, frame, levels, offset = 0) {
    const node = new AudioBufferSourceNode(this.context, { buffer });
    const gain = new GainNode(this.context, { gain: levels[0][1] });
    for (const [at, level] of levels.slice(1)) gain.gain.setValueAtTime(level, at / this.rate);
    node.connect(gain).connect(this.out);
    node.start(frame / this.rate, offset);
    this.running.add(node);
    node.onended = () => {
      this.running.delete(node);
      gain.disconnect();
    };
  }
  /** Every round of a take by a second guitar: { buffer, one, level }; its pick-up sounds once. */
  guitar(take, { buffer, one, level }) {
    take.guitar.forEach((levels, n) => {
      const whole = n === 0 && take.barsBefore === 0;
      const from = levels[0][0] - (whole ? Math.round(one * take.rate) : 0);
      this.start(
        buffer,
        from,
        levels.map(([frame, own]) => [frame, own * level]),
        whole ? 0 : one,
      );
    });
  }
  stop() {
    this.waiting = [];
    for (const node of this.running) {
      try {
        node.stop();
      } catch {
        /* already over */
      }
    }
  }
}
