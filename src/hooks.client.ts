import { beginPatience } from '$ui/frame/patience.svelte';

export const init = beginPatience;
