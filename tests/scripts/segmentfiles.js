// Segment files for tests: a text as their sound, behind the blocks that a FLAC file has.

import { crc32 } from "../../src/hallweb/screens/common/static/common/js/segmentfile.js";

const bytes = (text) => [...new TextEncoder().encode(text)];
const little = (number) => [number & 255, (number >> 8) & 255, number >> 16, 0];

/** Return the content of a file whose sound is `text`; `said` takes the place of what its comments say. */
export function segmentFile(text, said = {}) {
  const sound = bytes(text);
  const comments = { HEADROOM: "4", FED: "0.5,1.25", CRC32: crc32(Uint8Array.from(sound)), ...said };
  const lines = Object.entries(comments).map(([name, value]) => bytes(`${name}=${value}`));
  const block = [...little(2), ...bytes("us"), ...little(lines.length), ...lines.flatMap((line) => [...little(line.length), ...line])];
  const blocks = [0, 0, 0, 2, 7, 7, 0x84, 0, block.length >> 8, block.length & 255, ...block];
  return Uint8Array.from([...bytes("fLaC"), ...blocks, ...sound]).buffer;
}

/** Return the text that is the sound of a file of `segmentFile`. */
export function soundOf(content) {
  const length = new DataView(content).getUint16(12);
  return new TextDecoder().decode(content.slice(14 + length));
}
