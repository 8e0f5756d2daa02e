// Feeds a take into the application's own audio graph, exactly: the permission path is real, the
// sound is ours.
(() => {
  const take = (window.__testTake = { frames: null, rate: 48000 });
  const real = AudioContext.prototype.createMediaStreamSource;
  let context, microphone, into;
  AudioContext.prototype.createMediaStreamSource = function (stream) {
    context = this;
    microphone = real.call(this, stream);
    into = new GainNode(this, { gain: 1 });
    microphone.connect(into);
    return into;
  };
  // the page tells which frame the take begins at; the take's own lead is the count-in
  addEventListener("take-begins", ({ detail }) => {
    if (!take.frames) return;
    if (detail.rate !== take.rate) throw new Error(`take ${take.rate}, context ${detail.rate}`);
    microphone.disconnect();
    const buffer = new AudioBuffer({
      length: take.frames.length,
      numberOfChannels: 1,
      sampleRate: take.rate,
    });
    buffer.copyToChannel(take.frames, 0);
    const source = new AudioBufferSourceNode(context, { buffer });
    source.connect(into);
    source.start(detail.firstFrame / detail.rate);
  });
})();
