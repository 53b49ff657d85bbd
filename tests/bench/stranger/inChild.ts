import { attacks } from './attacks';

/** One attack until the process is killed: its name, and where to. */
const [name = '', origin = '', workspace = '', token = ''] = process.argv.slice(2);
await attacks[name]?.({ origin, workspace, token });
