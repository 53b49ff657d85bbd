import { authorize, type Person } from '../src/lib/server/access/workspaceAccess';
import type { Pool } from '../src/lib/server/database/pool';
import { addLanguage, changeLanguage } from '../src/lib/server/languages/languages';

/** What people from the villages over the border read: the form for swarms, and the table behind it. */
const german: Readonly<Record<string, string>> = {
  'Swarm reports': 'Schwarmmeldungen',
  'Sent in by anyone in the villages': 'Von allen in den Dörfern gemeldet',
  Place: 'Ort',
  'Seen on': 'Gesehen am',
  Size: 'Größe',
  fist: 'Faust',
  melon: 'Melone',
  basket: 'Korb',
  State: 'Stand',
  seen: 'gesehen',
  taken: 'eingefangen',
  gone: 'fort',
  Words: 'Worte',
  'Reported at': 'Gemeldet um',
  Where: 'Wo',
  'Reporter’s phone': 'Telefon der Meldenden',
  'Reporter’s email': 'E-Mail der Meldenden',
  Picture: 'Bild',
  'Taken by': 'Eingefangen von',
  'Waiting days': 'Tage gewartet',
  'Report a swarm': 'Einen Schwarm melden',
  'Thank you for telling us. Bees in a swarm are calm: they guard nothing. Keep a few steps away, and leave them where they are.':
    'Danke für die Meldung. Bienen im Schwarm sind friedlich: sie haben nichts zu bewachen. Bleiben Sie ein paar Schritte entfernt und lassen Sie sie, wo sie sind.',
  'A keeper near you sees it at once, and will come within the day.':
    'Wer in Ihrer Nähe Bienen hält, sieht es sofort und kommt noch am selben Tag.',
  'The season of swarms is over. Bees in autumn stay where they are.':
    'Die Zeit der Schwärme ist vorbei. Im Herbst bleiben Bienen, wo sie sind.',
  'Where and when': 'Wo und wann',
  'Where is it?': 'Wo ist er?',
  'such as: the old oak behind the mill': 'zum Beispiel: die alte Eiche hinter der Mühle',
  'On which day did you see it?': 'An welchem Tag haben Sie ihn gesehen?',
  'How large is it?': 'Wie groß ist er?',
  'As large as …': 'So groß wie …',
  'A picture, if you have one': 'Ein Bild, wenn Sie eines haben',
  'Your email, if you want to hear from us': 'Ihre E-Mail, wenn Sie von uns hören möchten',
  'A large swarm': 'Ein großer Schwarm',
  'Two of us will come, with a ladder.': 'Wir kommen zu zweit, mit einer Leiter.',
  'What is below it, and can a ladder stand there?': 'Was ist darunter, und kann dort eine Leiter stehen?',
};

/** The cooperative’s workspace for outreach in German, as the form for swarms is read on both sides of the border. */
export async function translate(pool: Pool, person: Person): Promise<void> {
  const access = () => authorize(pool, person, 'outreach', 'design');
  await addLanguage(pool, await access(), { code: 'en', label: 'English', first: true });
  await addLanguage(pool, await access(), { code: 'de', label: 'Deutsch' });
  await changeLanguage(pool, await access(), 'de', { texts: german });
}
