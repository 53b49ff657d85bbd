/** A stream of bytes made as it is read. */
export function streamOf(pieces: AsyncGenerator<Uint8Array, void>): ReadableStream<Uint8Array> {
  return new ReadableStream({
    async pull(controller) {
      const { done, value } = await pieces.next();
      if (done) controller.close();
      else controller.enqueue(value);
    },
    async cancel() {
      await pieces.return();
    },
  });
}
