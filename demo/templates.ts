import { takeTables } from '../src/lib/core/templates/taken';
import { ownTables } from '../src/lib/core/model/model';
import type { Dye } from '../src/lib/core/types/field';
import { authorize, type Person } from '../src/lib/server/access/workspaceAccess';
import { writeTemplate } from '../src/lib/server/api/templates/text';
import type { Pool } from '../src/lib/server/database/pool';
import { keepTemplate } from '../src/lib/server/templates/gallery';
import { standingSamples } from '../src/lib/server/templates/standingSamples';

/** What the cooperative gives to others of its kind. */
const ours: readonly {
  readonly workspace: string;
  readonly name: string;
  readonly label: string;
  readonly about: string;
  readonly dye: Dye;
}[] = [
  {
    workspace: 'apiaries',
    name: 'bee-yard',
    label: 'A bee yard',
    about: 'Keepers, apiaries, hives and queens, with inspections, mite counts and treatments.',
    dye: 'weld',
  },
  {
    workspace: 'honey',
    name: 'honey-room',
    label: 'A honey room',
    about: 'Lots from extraction to the market, with what is left of each and what the stalls take.',
    dye: 'rust',
  },
];

/** Puts the cooperative's own templates in the gallery; what links elsewhere stands for a table of whoever uses them. */
export async function keepTemplates(pool: Pool, by: Person): Promise<void> {
  for (const [position, { workspace, name, label, about, dye }] of ours.entries()) {
    const access = await authorize(pool, by, workspace, 'design');
    const { model } = access.workspace;
    const wanted = new Set(ownTables(model).map(({ id }) => id));
    const taken = takeTables(model, wanted);
    const samples = await standingSamples(pool, access, taken.model, new Set(), 100);
    const head = { name, version: 1, label, description: about, purpose: 'bees', dye, icon: 'hexagon' as const };
    await keepTemplate(pool, by, writeTemplate(taken.model, head, new Set(), samples), { position });
  }
}
