/** The engine's frames of sound, put together from pieces cut anywhere: a header of 16 bytes, then floats by turns. */
const HEADER_BYTES = 16

export interface SoundFrame {
  atFrame: number
  channels: number
  samples: Float32Array
}

export class FrameReader {
  private left = new Uint8Array(0)

  /** The frames that are whole with this piece. */
  read(piece: ArrayBuffer): SoundFrame[] {
    const bytes = new Uint8Array(this.left.length + piece.byteLength)
    bytes.set(this.left)
    bytes.set(new Uint8Array(piece), this.left.length)
    const view = new DataView(bytes.buffer)
    const found: SoundFrame[] = []
    let at = 0
    while (at + HEADER_BYTES <= bytes.length) {
      const frames = view.getUint32(at, true)
      const channels = view.getUint32(at + 4, true)
      const end = at + HEADER_BYTES + 4 * frames * channels
      if (end > bytes.length) break
      // A copy of their own: floats have to begin on a multiple of four, and are handed to another thread.
      const samples = new Float32Array(bytes.slice(at + HEADER_BYTES, end).buffer)
      found.push({ atFrame: Number(view.getBigInt64(at + 8, true)), channels, samples })
      at = end
    }
    this.left = bytes.slice(at)
    return found
  }
}
