import { languageFor, languagesOf, withLanguage } from '$core/languages/texts';
import { ownTables } from '$core/model/model';
import { withoutForeign } from '$core/parts/visible';
import { mayOf } from '$server/access/may';
import { allows } from '$server/access/workspaceAccess';
import { readForPage, signedIn } from '$server/http/page';
import { countSetAside } from '$server/entry/setAside';
import { isPreview } from '$server/templates/preview';
import { ledgerOf, tableCounts } from '$server/workspaces/workspaces';

export const load = async (event) => {
  event.depends('loom:model');
  const person = signedIn(event);
  return readForPage(event, 'see', async (access) => {
    const { key, label, version, day, zone, description, dye, icon } = access.workspace;
    const whole = withoutForeign(access.workspace.model);
    const language = languageFor(languagesOf(whole), event.locals.languages);
    // A page has the texts of its own language; who translates asks for the others.
    const model = withLanguage(whole, language);
    const [counts, setAside, ledger] = await Promise.all([
      tableCounts(
        event.locals.pool,
        key,
        ownTables(model).map((table) => table.key),
        new Map(
          ownTables(model).flatMap(({ id, key: name }) => {
            const cut = access.cuts?.of.get(id);
            return cut === undefined ? [] : [[name, cut]];
          }),
        ),
      ),
      countSetAside(event.locals.pool, access),
      ledgerOf(event.locals.pool, person, event.locals.languages),
    ]);
    return {
      person: { name: person.name, email: person.email },
      workspace: {
        key,
        label,
        description,
        dye,
        icon,
        version,
        day,
        zone,
        role: access.role.label,
        may: mayOf(access),
        seenAs: access.seenAs ?? null,
        isPreview: isPreview(key),
      },
      model,
      language,
      counts: Object.fromEntries(counts),
      setAside,
      // Tables that a link can be pointed at across workspaces: where one administers both.
      otherTables: ledger
        .filter(
          ({ key: other, rights }) => other !== key && rights.includes('design') && allows(access.rights, 'design'),
        )
        .flatMap(({ key: other, label: otherLabel, tables }) =>
          tables.map((table) => ({ path: `${other}.${table.key}`, label: `${otherLabel}: ${table.label}` })),
        ),
      workspaces: ledger.map((line) => ({ key: line.key, label: line.label })),
    };
  });
};
