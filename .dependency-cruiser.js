/** The server's folders, from the lowest on: each may import those before it, types included. */
const server = [
  'base',
  'database',
  'sql',
  'fieldTypes',
  'access',
  'files',
  'http',
  'query',
  'calculation',
  'records',
  'structure',
  'entry',
  'history',
  'workspaces',
  'export',
  'intake',
  'forms',
  'health',
  'live',
  'api',
];

export default {
  forbidden: [
    // A component may draw itself within itself.
    { name: 'no-circle', severity: 'error', from: { path: '(.+)' }, to: { circular: true, pathNot: '^$1$' } },
    ...server.slice(0, -1).map((folder, at) => ({
      name: `server-${folder}-below-${server[at + 1]}`,
      severity: 'error',
      from: { path: `^src/lib/server/${folder}/` },
      to: { path: `^src/lib/server/(?:${server.slice(at + 1).join('|')})/` },
    })),
    {
      name: 'server-knows-no-page',
      severity: 'error',
      from: { path: '^src/lib/server/' },
      to: { path: '^src/(?:lib/ui|routes)/' },
    },
  ],
  options: {
    doNotFollow: { path: 'node_modules' },
    tsPreCompilationDeps: true,
    // The aliases, from a folder that the tool can read them from.
    tsConfig: { fileName: 'tsconfig.layers.json' },
  },
};
