/** The folders of the core and of the server, from the lowest on: each may import those before it, types included. */
const core = [
  'base',
  'types',
  'fieldTypes',
  'model',
  'formula',
  'flow',
  'filled',
  'query',
  'views',
  'forms',
  'routines',
  'parts',
  'changes',
  'weave',
  'intake',
];
const server = [
  'base',
  'database',
  'sql',
  'fieldTypes',
  'access',
  'files',
  'http',
  'query',
  'analysts',
  'calculation',
  'records',
  'structure',
  'entry',
  'routines',
  'history',
  'workspaces',
  'export',
  'intake',
  'forms',
  'health',
  'live',
  'webhooks',
  'sending',
  'standIns',
  'api',
];

const layered = (part, folders) =>
  folders.slice(0, -1).map((folder, at) => ({
    name: `${part}-${folder}-below-${folders[at + 1]}`,
    severity: 'error',
    from: { path: `^src/lib/${part}/${folder}/`, pathNot: '\\.test\\.ts$' },
    to: { path: `^src/lib/${part}/(?:${folders.slice(at + 1).join('|')})/` },
  }));

export default {
  forbidden: [
    // A component may draw itself within itself.
    { name: 'no-circle', severity: 'error', from: { path: '(.+)' }, to: { circular: true, pathNot: '^$1$' } },
    ...layered('core', core),
    ...layered('server', server),
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
