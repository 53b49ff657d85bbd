/**
 * Keeps the focus within a list of which only what is in sight is drawn. A cell that is taken away, or put elsewhere,
 * loses the focus without a word, and what is typed then would go nowhere: the focus goes back to the cell one is on,
 * or, while that is not drawn, to the list itself. Gives the function that ends it.
 */
export function keepFocus(list: HTMLElement, cellHere: () => HTMLElement | null, focusList: () => void): () => void {
  let within = list.contains(document.activeElement);
  const left = (event: Event) => void (within = event.target instanceof Node && list.contains(event.target));
  const watch = new MutationObserver(() => {
    if (!within || document.activeElement !== document.body) return;
    const cell = cellHere();
    if (cell) cell.focus({ preventScroll: true });
    else focusList();
  });
  // Focus that goes to something else was taken there; so was that of a person who presses anywhere else.
  document.addEventListener('focusin', left);
  document.addEventListener('pointerdown', left, true);
  watch.observe(list, { childList: true, subtree: true });
  return () => {
    watch.disconnect();
    document.removeEventListener('focusin', left);
    document.removeEventListener('pointerdown', left, true);
  };
}
