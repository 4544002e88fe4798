// What a segment's FLAC file says of itself in its block of comments; see hallweb.audition.segment_file, which writes it.

const MARK = 0x664c6143; // fLaC
const COMMENTS = 4;

const SUMS = Uint32Array.from({ length: 256 }, (_, byte) => {
  let sum = byte;
  for (let bit = 0; bit < 8; bit++) sum = sum & 1 ? 0xedb88320 ^ (sum >>> 1) : sum >>> 1;
  return sum;
});

/** Return the CRC-32 of bytes (ISO 3309) as eight digits in hex. */
export function crc32(bytes) {
  let sum = 0xffffffff;
  for (let at = 0; at < bytes.length; at++) sum = SUMS[(sum ^ bytes[at]) & 0xff] ^ (sum >>> 8);
  return ((sum ^ 0xffffffff) >>> 0).toString(16).padStart(8, "0");
}

function comments(view, start) {
  const text = new TextDecoder();
  const found = {};
  let at = start + 4 + view.getUint32(start, true);
  const count = view.getUint32(at, true);
  at += 4;
  for (let number = 0; number < count; number++) {
    const length = view.getUint32(at, true);
    const line = text.decode(new Uint8Array(view.buffer, view.byteOffset + at + 4, length));
    const equals = line.indexOf("=");
    found[line.slice(0, equals)] = line.slice(equals + 1);
    at += 4 + length;
  }
  return found;
}

/** Return a segment's `headroom` and `fedPeaks`; fails if the file, an ArrayBuffer, is not as it was written. */
export function readSegment(content) {
  const view = new DataView(content);
  if (view.getUint32(0) !== MARK) throw new Error("a segment is no FLAC");
  let said = {};
  let at = 4;
  for (let isLast = false; !isLast; ) {
    const kind = view.getUint8(at);
    const length = view.getUint32(at) & 0xffffff;
    if ((kind & 0x7f) === COMMENTS) said = comments(view, at + 4);
    isLast = kind > 0x7f;
    at += 4 + length;
  }
  if (crc32(new Uint8Array(content, at)) !== said.CRC32) throw new Error("a segment is damaged");
  return { headroom: Number(said.HEADROOM), fedPeaks: said.FED.split(",").filter(Boolean).map(Number) };
}
