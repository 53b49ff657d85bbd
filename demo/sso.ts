import { startProvider } from './provider';

/** `./loom demo --sso`: the organisation's sign-in beside the demo, for as long as the process that began it runs. */
const [port = '', back = '', secret = ''] = process.argv.slice(2);
await startProvider({
  port: Number(port),
  client: 'inner-loom',
  secret,
  back: [back],
  people: [
    { name: 'Ida Vale', email: 'ida@alderfold.example', groups: ['Office'] },
    { name: 'Tom Orrin', email: 'tom@alderfold.example', groups: ['Field team'] },
    { name: 'Dessa Millbeck', email: 'dessa.millbeck@alderfold.example', groups: ['Office'] },
    { name: 'Garrick Thwaite', email: 'garrick.thwaite@alderfold.example', groups: ['Market stall'] },
  ],
});
// It ends with the demo.
const parent = process.ppid;
setInterval(() => {
  if (process.ppid !== parent) process.exit(0);
}, 1_000);
