// Plays rounds into the application's own audio graph in place of the microphone's: whoever opened
// the page performs each of them at the tempo that it is due at (`__perform(tempo, number, rounds,
// way)`, the way of a fair trial: base64
// of float32 samples, their rate, and where in them bar 1 begins), until `__rounds` are played.
// The next round at the same tempo is asked for while one plays; who is late all the same leaves out
// what is over, and is told of in `__tardy`.
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
  const performed = new Map();
  const ahead = (...asked) => {
    const key = JSON.stringify(asked);
    if (!performed.has(key)) performed.set(key, window.__perform(...asked));
    return performed.get(key);
  };
  const perform = (...asked) => {
    const sound = ahead(...asked);
    performed.delete(JSON.stringify(asked)); // an hour of sound is not kept
    return sound;
  };
  async function play({ detail }) {
    window.__last = detail.number;
    if (detail.number > (window.__rounds ?? Infinity)) return;
    const way = document.getElementById("trial-letter")?.textContent ?? "";
    const { tempo, number, rounds } = detail;
    const { text, rate, one } = await perform(tempo, number, rounds, way);
    const samples = new Float32Array(Uint8Array.from(atob(text), (c) => c.charCodeAt(0)).buffer);
    const buffer = new AudioBuffer({
      length: samples.length,
      numberOfChannels: 1,
      sampleRate: rate,
    });
    buffer.copyToChannel(samples, 0);
    const node = new AudioBufferSourceNode(context, { buffer });
    node.connect(into);
    const from = detail.startFrame / detail.rate - one;
    const late = Math.max(0, context.currentTime - from);
    if (late) (window.__tardy ??= []).push(number);
    start.call(node, from + late, late);
    if (!way && number < (window.__rounds ?? Infinity)) ahead(tempo, number + 1, rounds, way);
  }
  addEventListener("take-begins", play);
  addEventListener("round-follows", play);
})();
