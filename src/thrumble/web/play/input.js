// The input of the play screen: the microphone with what is heard beside it, the choice among
// several, and whether takes with it will be judged early and late.
import { oneAtATime, openInput } from "../shared/recorder.js";

const $ = (id) => document.getElementById(id);

export class Input {
  data;
  onLatency;
  onLost;
  onRefused;
  onSound;

  /** data: of the page; onSound(frame, samples), onLost(), onLatency(words), onRefused(error). */
  constructor(data, { onSound, onLost, onLatency, onRefused }) {
    Object.assign(this, { data, onSound, onLost, onLatency, onRefused, names: [] });
    this.now = null;
    $("input").addEventListener("change", () => this.changed());
  }
  get isOpen() {
    return this.now !== null;
  }
  get context() {
    return this.now.context;
  }
  get track() {
    return this.now.track;
  }
  get sounding() {
    return this.now?.sounding ?? null;
  }
  /** The audio clock's present frame. */
  get frame() {
    return this.now ? this.context.currentTime * this.context.sampleRate : 0;
  }
  /** Has these sounds at hand, now and whenever the input is opened again. */
  async load(names) {
    this.names = names;
    await this.sounding?.load(names);
  }
  stopSounds() {
    this.sounding?.stop();
  }
  get underruns() {
    return this.now?.context.playbackStats?.underrunEvents ?? 0;
  }

  open = oneAtATime(async () => {
    const { now } = this;
    if (now && now.track.readyState === "live" && now.context.state === "running") return;
    this.close();
    this.now = await openInput({
      deviceId: $("input").value || null,
      tapUrl: this.data.tap,
      clickBase: this.data.click,
      onSound: this.onSound,
      onLost: this.onLost,
    });
    await this.load(this.names);
    await this.list();
    await this.tellLatency();
  });

  close() {
    this.now?.close();
    this.now = null;
  }

  /** Another input was chosen: the one that may still be opening is let go first. */
  async changed() {
    try {
      await this.open().catch(() => {});
      this.close();
      await this.open();
    } catch (error) {
      this.onRefused(error);
    }
  }

  async list() {
    const all = await navigator.mediaDevices.enumerateDevices();
    if (!this.now) return;
    const inputs = all.filter((device) => device.kind === "audioinput");
    const chosen = this.track.getSettings().deviceId ?? "";
    const option = ({ label, deviceId }) =>
      new Option(label || "input", deviceId, false, deviceId === chosen);
    $("input").replaceChildren(...inputs.map(option));
    $("input-label").hidden = inputs.length < 2;
  }

  async tellLatency() {
    if (!this.now) return;
    const { sampleRate: rate } = this.context;
    const query = new URLSearchParams({ rate: String(rate), device: this.track.label || "" });
    try {
      const headers = { accept: "application/json" };
      const known = await (await fetch(`${this.data.delay}?${query}`, { headers })).json();
      const alone = known.delay_ms === null ? ": early and late count from your own average" : "";
      this.onLatency(`${known.words}${alone}`);
    } catch {
      /* the take can be played without */
    }
  }
}
