import { known } from './known';
import { measure } from './measure';
import { messy } from './messy';
import { practice } from './practice';

export const truthCases = [...practice, ...measure, ...known, ...messy];
export const practiceCases = truthCases.filter(({ half }) => half === 'practice');
