// What is pressed while the page is shown and its scripts are still on their way is kept, and done once they are there
// (src/lib/ui/frame/early.ts). Links, and typing into fields, work by themselves.
(() => {
  const kept = [];
  const writes = (target) => target.closest('input, textarea, select, [contenteditable]');
  const onClick = (event) => {
    const button = event.target.closest('button:not([type=submit]), [role=menuitem], [role=tab]');
    if (button && !button.closest('a')) kept.push({ kind: 'click', target: button });
  };
  const onKey = (event) => {
    if (event.isComposing || writes(event.target) || ['Tab', 'Shift', 'Control', 'Alt', 'Meta'].includes(event.key))
      return;
    const { key, code, ctrlKey, shiftKey, altKey, metaKey } = event;
    kept.push({ kind: 'key', target: event.target, init: { key, code, ctrlKey, shiftKey, altKey, metaKey } });
  };
  const onSubmit = (event) => {
    // A form that is posted works without scripts.
    if (event.target.method === 'post') return;
    event.preventDefault();
    kept.push({ kind: 'submit', target: event.target });
  };
  const onPaste = (event) => {
    if (writes(event.target) || !event.clipboardData) return;
    const texts = Object.fromEntries(
      ['text/plain', 'text/html'].map((type) => [type, event.clipboardData.getData(type)]),
    );
    kept.push({ kind: 'paste', target: event.target, texts });
  };
  const listeners = { click: onClick, keydown: onKey, submit: onSubmit, paste: onPaste };
  for (const [name, listener] of Object.entries(listeners)) addEventListener(name, listener, true);
  window.early = () => {
    for (const [name, listener] of Object.entries(listeners)) removeEventListener(name, listener, true);
    return kept.splice(0);
  };
})();
