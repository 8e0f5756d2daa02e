// A WAV file (32-bit float, mono) of a take's blocks; frames between them are silence.

const HEADER = 44;

/** blocks: { frame, count } in order; load(frame): its samples, or null. */
export async function wavOf(blocks, load, rate) {
  const first = blocks[0]?.frame ?? 0;
  const frames = blocks.length ? blocks.at(-1).frame + blocks.at(-1).count - first : 0;
  const head = new DataView(new ArrayBuffer(HEADER));
  const word = (at, text) => {
    for (const [k, c] of [...text].entries()) head.setUint8(at + k, c.charCodeAt(0));
  };
  word(0, "RIFF");
  head.setUint32(4, HEADER - 8 + frames * 4, true);
  word(8, "WAVEfmt ");
  head.setUint32(16, 16, true);
  head.setUint16(20, 3, true);
  head.setUint16(22, 1, true);
  head.setUint32(24, rate, true);
  head.setUint32(28, rate * 4, true);
  head.setUint16(32, 4, true);
  head.setUint16(34, 32, true);
  word(36, "data");
  head.setUint32(40, frames * 4, true);
  const parts = [head.buffer];
  let at = first;
  for (const { frame, count } of blocks) {
    if (frame > at) parts.push(new Float32Array(frame - at).buffer);
    parts.push(((await load(frame)) ?? new Float32Array(count)).slice().buffer);
    at = frame + count;
  }
  return new Blob(parts, { type: "audio/wav" });
}
