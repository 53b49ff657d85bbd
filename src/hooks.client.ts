import { speakBy } from '$core/base/say';
import { beginPatience } from '$ui/frame/patience.svelte';
import { wordsOf } from './lib/words/languages';

/** Before anything is drawn: a page speaks the language in which the server made it. */
export const init = async () => {
  beginPatience();
  const spoken = await wordsOf(document.documentElement.lang);
  speakBy(() => spoken);
};
