import { spokenTable } from '$ui/spoken';

export const load = async ({ parent }) => spokenTable(await parent());
