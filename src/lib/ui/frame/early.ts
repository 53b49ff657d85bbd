/** What was pressed before the page's scripts were there, as static/early.js keeps it. */
type Early =
  | { readonly kind: 'click'; readonly target: HTMLElement }
  | { readonly kind: 'key'; readonly target: HTMLElement; readonly init: KeyboardEventInit }
  | { readonly kind: 'submit'; readonly target: HTMLFormElement }
  | { readonly kind: 'paste'; readonly target: HTMLElement; readonly texts: Readonly<Record<string, string>> };

declare global {
  interface Window {
    /** Gives what was kept, and keeps no more. */
    early?: () => readonly Early[];
  }
}

/** In milliseconds: as long may what one press sets going take before the next is done. */
const pause = 20;

/** Does what was pressed while the page was shown and could not answer yet, one after the other. */
export async function doEarly(): Promise<void> {
  document.documentElement.dataset.ready = '';
  for (const one of window.early?.() ?? []) {
    if (one.kind === 'key') press(onFocused(one.target), one.init);
    else if (!one.target.isConnected) continue;
    else if (one.kind === 'click') one.target.click();
    else if (one.kind === 'submit') one.target.requestSubmit();
    else
      onFocused(one.target).dispatchEvent(
        new ClipboardEvent('paste', { clipboardData: carrier(one.texts), bubbles: true, cancelable: true }),
      );
    await new Promise((resolve) => setTimeout(resolve, pause));
  }
}

function press(target: Element, init: KeyboardEventInit): void {
  const goesOn = target.dispatchEvent(new KeyboardEvent('keydown', { ...init, bubbles: true, cancelable: true }));
  const { key = '', ctrlKey, metaKey, altKey } = init;
  if (!goesOn || key.length !== 1 || ctrlKey || metaKey || altKey) return;
  // An event made by a script writes nothing by itself.
  if (!(target instanceof HTMLInputElement || target instanceof HTMLTextAreaElement)) return;
  target.setRangeText(
    key,
    target.selectionStart ?? target.value.length,
    target.selectionEnd ?? target.value.length,
    'end',
  );
  target.dispatchEvent(new InputEvent('input', { data: key, inputType: 'insertText', bubbles: true }));
}

/** Keys go to where the focus is by now; where it is nowhere, to where they were pressed. */
function onFocused(target: HTMLElement): Element {
  const { activeElement, body } = document;
  return activeElement && activeElement !== body ? activeElement : target.isConnected ? target : body;
}

function carrier(texts: Readonly<Record<string, string>>): DataTransfer {
  const data = new DataTransfer();
  for (const [type, text] of Object.entries(texts)) if (text !== '') data.setData(type, text);
  return data;
}
