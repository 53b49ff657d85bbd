/** Writes under way. What undoes one's latest edit waits for all that were begun before it, however fast one presses. */
export class UnderWay {
  private readonly writes = new Set<Promise<unknown>>();

  /** Keeps a write among those under way until it is over. */
  async during<T>(write: () => Promise<T>): Promise<T> {
    const mine = write();
    this.writes.add(mine);
    try {
      return await mine;
    } finally {
      this.writes.delete(mine);
    }
  }

  /** Does something once all that is under way is over; what comes later waits for it in its turn. */
  after<T>(run: () => Promise<T>): Promise<T> {
    const before = [...this.writes];
    return this.during(async () => {
      await Promise.allSettled(before);
      return run();
    });
  }
}
