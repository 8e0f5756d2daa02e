// Plays rounds into the application's own audio graph in place of the microphone's: whoever opened
// the page performs each of them at the tempo that it is due at (`__perform(tempo, number, rounds,
// way)`, the way of a fair trial: base64
// of float32 samples, their rate, and where in them bar 1 begins), until `__rounds` are played.
(() => {
  const real = AudioContext.prototype.createMediaStreamSource;
  let context, into;
  AudioContext.prototype.createMediaStreamSource = function (stream) {
    real.call(this, stream); // the permission path is real
    context = this;
    return (into = new GainNode(this, { gain: 1 }));
  };
  const sounded = (window.__sounded = []);
  const start = AudioBufferSourceNode.prototype.start;
  AudioBufferSourceNode.prototype.start = function (when, ...rest) {
    sounded.push(when);
    return start.call(this, when, ...rest);
  };
  async function play({ detail }) {
    window.__last = detail.number;
    if (detail.number > (window.__rounds ?? Infinity)) return;
    const way = document.getElementById("trial-letter")?.textContent ?? "";
    const asked = [detail.tempo, detail.number, detail.rounds, way];
    const { text, rate, one } = await window.__perform(...asked);
    const samples = new Float32Array(Uint8Array.from(atob(text), (c) => c.charCodeAt(0)).buffer);
    const buffer = new AudioBuffer({ length: samples.length, numberOfChannels: 1,
      sampleRate: rate });
    buffer.copyToChannel(samples, 0);
    const node = new AudioBufferSourceNode(context, { buffer });
    node.connect(into);
    const from = detail.startFrame / detail.rate - one;
    if (from < context.currentTime) (window.__tardy ??= []).push(detail.number);
    start.call(node, Math.max(0, from), Math.max(0, -from));
  }
  addEventListener("take-begins", play);
  addEventListener("round-follows", play);
})();
