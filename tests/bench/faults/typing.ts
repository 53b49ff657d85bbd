import { launchChromium } from '../../../demo/browser';
import { hashPassword } from '../../../src/lib/server/access/signIn';
import { workspaceKey, type Ground } from './ground';
import type { Work } from './works';

const password = 'bench-and-fell';

/** Somebody who types records into one page that stays open all the time, 8 in a round, and does not look up. */
export async function typist(
  ground: Ground,
  origin: string,
): Promise<{ readonly work: Work; readonly end: () => Promise<void> }> {
  await ground.pool.query('update loom.people set password_hash = $1 where email like $2', [
    await hashPassword(password),
    'bench@%',
  ]);
  const browser = await launchChromium();
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  await page.goto(`${origin}/sign-in`);
  await page.getByLabel('Email').fill('bench@alderfold.example');
  await page.getByLabel('Password').fill(password);
  await page.keyboard.press('Enter');
  await page.waitForURL(`${origin}/`);
  await page.goto(`${origin}/w/${workspaceKey}/t/diary`);
  const grid = page.getByRole('grid');
  await grid.getByText('new …').click();
  const typed: string[] = [];
  const stored = async () =>
    (await ground.pool.query<{ words: string }>(`select words from ${workspaceKey}.diary order by _id`)).rows.map(
      ({ words }) => words,
    );
  return {
    work: {
      name: 'typing',
      begin: (_, round) => {
        const words = Array.from({ length: 8 }, (__, n) => `r${round} w${n}`);
        return Promise.resolve({
          run: async () => {
            for (const one of words) {
              await page.keyboard.type(one, { delay: 25 });
              await page.keyboard.press('Enter');
            }
            typed.push(...words);
            const until = Date.now() + 60_000;
            while ((await stored().catch(() => [])).length < typed.length && Date.now() < until)
              await page.waitForTimeout(100);
          },
          wrong: async () => {
            const stands = await stored();
            if (JSON.stringify(stands) === JSON.stringify(typed)) return [];
            // What the page shows says why.
            await page.screenshot({ path: '.loom/bench-typing.png' });
            return [
              `typed ${words.join(', ')}; the last that stand: ${stands.slice(-10).join(', ')}; .loom/bench-typing.png shows the page`,
            ];
          },
        });
      },
    },
    end: () => browser.close(),
  };
}
