import { contentsOf } from '$core/templates/taken';
import { builtTemplate } from '$server/api/templates/text';
import { readForPage } from '$server/http/page';
import { templateIn } from '$server/templates/gallery';
import { besideStanding } from '$server/templates/uses';

export const load = async (event) => {
  event.depends('loom:template');
  const { pool } = event.locals;
  return readForPage(event, 'design', async (access) => {
    const template = await templateIn(pool, access.person, event.params.id);
    const built = builtTemplate(template);
    const { label, version, samples } = template;
    return {
      template: { label, version, samples: Object.values(samples).reduce((sum, rows) => sum + rows.length, 0) },
      contents: contentsOf(built.model),
      beside: await besideStanding(pool, access, template, built),
    };
  });
};
