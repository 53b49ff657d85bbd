import { beforeEach, expect, test, vi } from 'vitest';
import { KeptList } from './keptList';

beforeEach(() => {
  const kept = new Map<string, string>();
  vi.stubGlobal('localStorage', {
    getItem: (name: string) => kept.get(name) ?? null,
    setItem: (name: string, text: string) => void kept.set(name, text),
    removeItem: (name: string) => void kept.delete(name),
    get length() {
      return kept.size;
    },
  });
});

const window = () => new KeptList<{ key: string; words: string }>(() => 'typed');
const one = (key: string, words = key) => ({ key, words });

test('two windows keep their own beside each other’s, in any order of adding, changing and taking out', () => {
  const [here, there] = [window(), window()];
  here.write([], [one('a')]);
  there.write([], [one('b')]);
  here.write([one('a')], [one('a', 'changed'), one('c')]);
  expect(window().read()).toEqual([one('b'), one('a', 'changed'), one('c')]);
  here.write([one('a'), one('c')], [one('c')]);
  expect(window().read()).toEqual([one('b'), one('c')]);
  there.write([one('b')], []);
  here.write([one('c')], []);
  expect([window().read(), localStorage.length]).toEqual([[], 0]);
});

test('what one window read from another is its own from then on, and is taken out once', () => {
  const here = window();
  here.write([], [one('a'), one('b')]);
  const read = window().read();
  window().write(read, [one('b')]);
  expect(window().read()).toEqual([one('b')]);
});
