// Runs in the audio thread: passes the microphone's samples on, placed by the audio clock's own
// frames.
class Tap extends AudioWorkletProcessor {
  constructor() {
    super();
    this.last = -1;
    this.first = 0;
    this.blocks = [];
  }
  flush() {
    if (!this.blocks.length) return;
    const pcm = new Float32Array(this.blocks.length * 128);
    for (const [k, block] of this.blocks.entries()) pcm.set(block, k * 128);
    this.port.postMessage({ frame: this.first, pcm }, [pcm.buffer]);
    this.blocks = [];
  }
  process(inputs) {
    let frame = currentFrame;
    // the clock stands still for a few blocks now and then, and catches up exactly
    if (frame <= this.last) frame = this.last + 128;
    // a gap: what follows has its own place
    if (this.last >= 0 && frame !== this.last + 128) this.flush();
    this.last = frame;
    const channel = inputs[0][0];
    if (!this.blocks.length) this.first = frame;
    this.blocks.push(channel ? channel.slice() : new Float32Array(128));
    if (this.blocks.length >= 16) this.flush();
    return true;
  }
}
registerProcessor("tap", Tap);
