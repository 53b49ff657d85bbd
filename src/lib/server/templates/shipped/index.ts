import type { Template } from '$core/types/template';
import choir from './choir.json';
import clinicAppointments from './clinic-appointments.json';
import communityKitchen from './community-kitchen.json';
import grantProgramme from './grant-programme.json';
import lendingLibrary from './lending-library.json';
import museumLoans from './museum-loans.json';
import orchard from './orchard.json';
import repairShop from './repair-shop.json';
import schoolCourses from './school-courses.json';
import stockWithMovements from './stock-with-movements.json';
import toolShed from './tool-shed.json';
import villageHall from './village-hall.json';

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
