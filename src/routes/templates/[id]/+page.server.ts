import { contentsOf } from '$core/templates/taken';
import { isSystem, ownTables } from '$core/model/model';
import { allGroups } from '$server/access/directory';
import { builtTemplate } from '$server/api/templates/text';
import { refusedAsPage, signedIn } from '$server/http/page';
import { galleryOf, templateIn } from '$server/templates/gallery';
import { ledgerOf } from '$server/workspaces/workspaces';

export const load = async (event) => {
  const person = signedIn(event);
  const { pool } = event.locals;
  const [template, gallery, ledger, groups] = await refusedAsPage(
    event,
    Promise.all([
      templateIn(pool, person, event.params.id),
      galleryOf(pool, person),
      ledgerOf(pool, person),
      allGroups(pool),
    ]),
  );
  const { model } = builtTemplate(template);
  const { samples, tables } = template;
  return {
    person: { name: person.name },
    shown: gallery.find(({ id }) => id === event.params.id) ?? null,
    versions: gallery.filter(({ name }) => name === template.name).map(({ id, version }) => ({ id, version })),
    contents: contentsOf(model),
    tables: ownTables(model).map(({ key, label, description, dye, icon, fields }) => ({
      key,
      label,
      description,
      dye,
      icon: icon ?? null,
      fields: fields.filter((field) => !isSystem(field) && !field.off).map((field) => field.label),
      samples: samples[key]?.length ?? 0,
      placeholder: tables.find((one) => one.key === key)?.placeholder === true,
    })),
    workspaces: ledger
      .filter(({ rights, archived }) => rights.includes('design') && !archived)
      .map(({ key, label }) => ({ key, label })),
    groups: groups.map(({ id, label }) => ({ id, label })),
  };
};
