import Joi from 'joi';
import { refuse } from '../../base/refusal';
import { whole } from '../../base/listed';
import { streamOf } from '../../base/streamOf';
import { endpoint, workspaceEndpoint } from '../../http/endpoint';
import { filesSent, receiveFiles } from '../../http/upload';
import { beginPackage, cancelPackage, packageLoadAt, packageLoadsOf } from '../../packages/loads';
import { lookAtPackage, packedOf, writePackage } from '../../packages/write';
import { numberAt } from '../workspaces';
import { structureReader, structureWriter } from './structureText';

/** As much as a folder of pictures of a whole organisation. */
const limits = { files: 1, size: 64 * 1024 * 1024 * 1024, words: '64 GB' };

const linked = Joi.object({
  linked: Joi.boolean()
    .default(true)
    .description('with the workspaces that it is linked with; else without what leads there'),
});

export const getPackageLook = workspaceEndpoint({
  method: 'GET',
  path: '/api/workspaces/{ws}/package/look',
  summary: 'What a package of the whole workspace would hold, and what it would leave out',
  // Roles and routines are in it, too: it is for who administers.
  needs: 'people',
  query: linked,
  answers: '{workspaces, tables, files, bytes, left}; 403 for who does not see all of it',
  answer: ({ pool, access, query }) => lookAtPackage(pool, access, query.linked === true),
});

export const getPackage = workspaceEndpoint({
  method: 'GET',
  path: '/api/workspaces/{ws}/package',
  summary:
    'The whole workspace as one package: a Data Package with the structure and all files, which becomes the same workspace where it is brought in',
  downloads: true,
  // Roles and routines are in it, too: it is for who administers.
  needs: 'people',
  query: linked,
  answers: 'a ZIP archive; 403 for who does not see all of it',
  media: ['application/zip'],
  answer: async ({ pool, access, query }) => {
    const withLinked = query.linked === true;
    // What is refused is refused before anything is sent.
    packedOf(access, withLinked);
    const pieces = writePackage(pool, access, withLinked, await structureWriter(pool, access.whole.key));
    return new Response(streamOf(pieces), {
      headers: {
        'content-type': 'application/zip',
        'content-disposition': `attachment; filename="${access.workspace.key}.package.zip"`,
      },
    });
  },
});

const packageLoad =
  '{id, name, state: "working"|"done"|"failed", progress: {phase, done, of}, problem, workspaces, records, notes, at}';

export const postPackage = endpoint({
  method: 'POST',
  path: '/api/packages',
  summary: 'Bring a package in: its workspaces are made anew, while you ask how far it is',
  streams: true,
  sends: { 'multipart/form-data': filesSent },
  answers: packageLoad,
  answer: async ({ pool, person, event }) => {
    const [file] = await receiveFiles(event, limits);
    if (!file) throw refuse(400, 'No file came in.', 'Send the package as a part of multipart/form-data.');
    return beginPackage(pool, person, file, structureReader(pool, person));
  },
});

export const listPackages = endpoint({
  method: 'GET',
  path: '/api/packages',
  summary: 'The packages that you brought in last',
  answers: '{items: [{id, name, state, progress, problem, workspaces, records, notes, at}], next: null}',
  answer: async ({ pool, person }) => whole(await packageLoadsOf(pool, person)),
});

export const getPackageLoad = endpoint({
  method: 'GET',
  path: '/api/packages/{id}',
  summary: 'How far a package is that you bring in, or what became of it',
  answers: packageLoad,
  answer: ({ pool, person, params }) => packageLoadAt(pool, person, numberAt(params.id)),
});

export const deletePackageLoad = endpoint({
  method: 'DELETE',
  path: '/api/packages/{id}',
  summary: 'Stop bringing a package in; nothing of it is kept',
  answers: packageLoad,
  answer: ({ pool, person, params }) => cancelPackage(pool, person, numberAt(params.id)),
});
