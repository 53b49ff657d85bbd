import type { Template } from '$core/types/template';
import choir from './choir.json' with { type: 'json' };
import clinicAppointments from './clinic-appointments.json' with { type: 'json' };
import communityKitchen from './community-kitchen.json' with { type: 'json' };
import grantProgramme from './grant-programme.json' with { type: 'json' };
import lendingLibrary from './lending-library.json' with { type: 'json' };
import museumLoans from './museum-loans.json' with { type: 'json' };
import orchard from './orchard.json' with { type: 'json' };
import repairShop from './repair-shop.json' with { type: 'json' };
import schoolCourses from './school-courses.json' with { type: 'json' };
import stockWithMovements from './stock-with-movements.json' with { type: 'json' };
import toolShed from './tool-shed.json' with { type: 'json' };
import villageHall from './village-hall.json' with { type: 'json' };

/** The registry: each template that comes with the program stands here once, in the order of the gallery. */
const texts: readonly unknown[] = [
  stockWithMovements,
  lendingLibrary,
  clinicAppointments,
  repairShop,
  orchard,
  choir,
  villageHall,
  grantProgramme,
  museumLoans,
  schoolCourses,
  communityKitchen,
  toolShed,
];

export const shippedTemplates = (): readonly Template[] => texts as readonly Template[];
