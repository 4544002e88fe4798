"""What leaves the page for the loudspeakers, sample by sample."""

import base64

import numpy as np

RECORDER = """
const code = `registerProcessor("recorder", class extends AudioWorkletProcessor {
  process([input]) {
    const [left, right] = [input[0] ?? new Float32Array(128), input[1] ?? input[0] ?? new Float32Array(128)];
    const both = new Float32Array(256);
    both.set(left);
    both.set(right, 128);
    this.port.postMessage(both);
    return true;
  }
})`;
window.recorded = [];
const connect = AudioNode.prototype.connect;
AudioNode.prototype.connect = function (target, ...more) {
  if (target instanceof AudioDestinationNode) {
    const { context } = this;
    context.audioWorklet.addModule(URL.createObjectURL(new Blob([code], { type: "text/javascript" }))).then(() => {
      const node = new AudioWorkletNode(context, "recorder", { numberOfOutputs: 0, channelCount: 2, channelCountMode: "explicit" });
      node.port.onmessage = ({ data }) => window.recorded.push(data);
      connect.call(this, node);
      window.isRecording = true;
    });
  }
  return connect.call(this, target, ...more);
};
"""
_TAKE = """() => {
  const all = new Float32Array(window.recorded.length * 256);
  window.recorded.forEach((both, index) => all.set(both, index * 256));
  const bytes = new Uint8Array(all.buffer);
  let text = "";
  for (let n = 0; n < bytes.length; n += 32768) text += String.fromCharCode(...bytes.subarray(n, n + 32768));
  return btoa(text);
}"""


def recorded(page) -> np.ndarray:
    """Return all that was heard so far, (2, frames)."""
    samples = np.frombuffer(base64.b64decode(page.evaluate(_TAKE)), np.float32)
    return samples.reshape(-1, 2, 128).transpose(1, 0, 2).reshape(2, -1)


def aligned(heard: np.ndarray, song: np.ndarray, at: int, frames: int = 8192) -> np.ndarray:
    """Return what was heard from the song's beginning on, found by what the song plays at sample `at`."""
    stretch = song[0, at : at + frames].astype(np.float64)
    size = 1 << (heard.shape[1] + frames).bit_length()
    match = np.fft.irfft(np.fft.rfft(heard[0], size) * np.conj(np.fft.rfft(stretch, size)), size)
    start = int(np.argmax(match[: heard.shape[1]])) - at
    assert start >= 0, "the song was not heard from its beginning"
    return heard[:, start:]
