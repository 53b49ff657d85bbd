import { createReadStream } from 'node:fs';
import { Readable } from 'node:stream';
import Joi from 'joi';
import { fileAt, keepFile, thumbnail, thumbnailWidths } from '../files/store';
import { workspaceEndpoint } from '../http/endpoint';
import { filesSent, receiveFiles } from '../http/upload';

const limits = { files: 20, size: 50 * 1024 * 1024, words: '50 MB' };

export const postFiles = workspaceEndpoint({
  method: 'POST',
  path: '/api/workspaces/{ws}/files',
  summary: 'Send files, multipart; what is answered is what fields of files and pictures hold',
  needs: 'write',
  streams: true,
  sends: { 'multipart/form-data': filesSent },
  answers: '{files: [{file, name, size, type}]}',
  answer: async ({ event, pool, access }) => {
    const kept = [];
    for (const upload of await receiveFiles(event, limits)) kept.push(await keepFile(pool, access, upload));
    return { files: kept };
  },
});

/** A file name for a header (RFC 6266), which takes no line breaks and no quotes. */
const dispositionOf = (shown: boolean, name: string): string =>
  `${shown ? 'inline' : 'attachment'}; filename*=UTF-8''${encodeURIComponent(name)}`;

export const getFile = workspaceEndpoint({
  method: 'GET',
  path: '/api/workspaces/{ws}/files/{hash}',
  summary: 'A file; with `thumbnail` a small picture of it',
  needs: 'see',
  query: Joi.object({
    name: Joi.string().max(255),
    thumbnail: Joi.number().valid(...thumbnailWidths),
  }),
  answers: 'the contents',
  media: ['*/*'],
  answer: async ({ pool, access, params, query }) => {
    const hash = params.hash ?? '';
    const file = await fileAt(pool, access, hash);
    const width = query.thumbnail as (typeof thumbnailWidths)[number] | undefined;
    const small = width === undefined ? null : await thumbnail(file, hash, width);
    const name = typeof query.name === 'string' ? query.name : hash.slice(0, 12);
    // Contents never change under their hash. Nothing in them is run: no script, no frame, no guessing of types.
    return new Response(Readable.toWeb(createReadStream(small ?? file.path)) as ReadableStream, {
      headers: {
        'content-type': small ? 'image/webp' : file.shown ? file.type : 'application/octet-stream',
        ...(small ? {} : { 'content-length': String(file.size) }),
        'content-disposition': dispositionOf(file.shown, name),
        'content-security-policy': "default-src 'none'; sandbox",
        'x-content-type-options': 'nosniff',
        'cache-control': 'private, max-age=31536000, immutable',
      },
    });
  },
});
