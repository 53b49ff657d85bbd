/** Beyond this many texts the question is left to the database. */
const mostTexts = 4_000_000;

/**
 * Proves that texts are all different without keeping them: a set of their 64-bit hashes (two FNV-1a streams) in typed
 * arrays. Equal texts have equal hashes, so no hash met twice means no text met twice. A hash met twice is almost
 * surely a text met twice, but not proof of it.
 */
export class SeenOnce {
  private low = new Uint32Array(1 << 15);
  private high = new Uint32Array(1 << 15);
  private size = 0;

  /** Whether texts still fit; when not, nothing is known any more. */
  get isFull(): boolean {
    return this.size >= mostTexts;
  }

  /** Takes a text; false when its hash was met before. */
  add(text: string): boolean {
    let a = 0x811c9dc5;
    let b = 0x9747b28c;
    for (let i = 0; i < text.length; i++) {
      const unit = text.charCodeAt(i);
      a = Math.imul(a ^ unit, 0x01000193);
      b = Math.imul(b ^ unit, 0x85ebca6b) ^ (b >>> 13);
    }
    // Zero marks an empty place, so it is never a hash.
    return this.put((a ^ (a >>> 15)) >>> 0 || 1, (b ^ (b >>> 16)) >>> 0);
  }

  private put(a: number, b: number): boolean {
    const mask = this.low.length - 1;
    let at = (a ^ Math.imul(b, 31)) & mask;
    while (this.low[at] !== 0) {
      if (this.low[at] === a && this.high[at] === b) return false;
      at = (at + 1) & mask;
    }
    this.low[at] = a;
    this.high[at] = b;
    if (++this.size * 2 > this.low.length) this.grow();
    return true;
  }

  private grow(): void {
    const { low, high } = this;
    this.low = new Uint32Array(low.length * 2);
    this.high = new Uint32Array(low.length * 2);
    this.size = 0;
    low.forEach((a, index) => a !== 0 && this.put(a, high[index] ?? 0));
  }
}
