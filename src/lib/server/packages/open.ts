import Joi from 'joi';
import { openArchive, type Archive } from '../intake/reading/archive';
import { refuse, type Refusal } from '../base/refusal';
import type { PackedFile } from './descriptor';
import { packageFormat, places, structureSchema, type PackedStructure } from './format';

/** A package as it came, with its structure read. */
export interface OpenPackage {
  readonly archive: Archive;
  readonly structure: PackedStructure;
  readonly files: readonly PackedFile[];
}

/** In bytes, unpacked: 200 GB are more than anybody sends at once. */
const mostUnpacked = 200_000_000_000;
/** In bytes: the texts that are read whole. */
const mostText = 200_000_000;

const descriptorSchema = Joi.object({
  resources: Joi.array()
    .items(
      Joi.object({
        name: Joi.string().required(),
        path: Joi.string().required(),
        bytes: Joi.number().integer().min(0).max(Number.MAX_SAFE_INTEGER),
        mediatype: Joi.string().max(200),
      }).unknown(true),
    )
    .required(),
}).unknown(true);

const isFile = /^files\/([0-9a-f]{64})$/;

/**
 * Opens a package that came in. What it holds is found by its descriptor and by the names that a package has alone:
 * where its entries say that they lie is never gone by.
 */
export async function openPackage(path: string, name: string): Promise<OpenPackage> {
  const archive = await openArchive(path, name, { entries: 1_000_000, unpacked: mostUnpacked });
  try {
    if (!archive.has(places.descriptor) || !archive.has(places.structure))
      throw refuse(
        422,
        `${name} is no package of a workspace.`,
        'A package comes from Home or Structure, by “Take out”. Other files are brought in by Intake.',
      );
    const structure = await jsonOf(archive, places.structure, name);
    const format = (structure as { package?: unknown } | null)?.package;
    if (typeof format === 'number' && format > packageFormat)
      throw refuse(
        422,
        `${name} was written by a newer version of the program (format ${format}).`,
        `This one reads format ${packageFormat}: bring the program up to date.`,
      );
    const { value, error } = structureSchema.validate(structure);
    if (error) throw unreadable(name, places.structure, error);
    const descriptor = descriptorSchema.validate(await jsonOf(archive, places.descriptor, name));
    if (descriptor.error) throw unreadable(name, places.descriptor, descriptor.error);
    const { resources } = descriptor.value as {
      resources: { path: string; bytes?: number; mediatype?: string }[];
    };
    const files = resources.flatMap(({ path: at, bytes = 0, mediatype = '' }): PackedFile[] => {
      const hash = isFile.exec(at)?.[1];
      return hash ? [{ hash, size: bytes, type: mediatype }] : [];
    });
    for (const { hash } of files)
      if (!archive.has(places.file(hash)))
        throw refuse(
          422,
          `${name} names a file that is not in it (${hash.slice(0, 12)} …).`,
          'Send the whole package.',
        );
    return { archive, structure: value as PackedStructure, files };
  } catch (thrown) {
    archive.close();
    throw thrown;
  }
}

async function jsonOf(archive: Archive, part: string, name: string): Promise<unknown> {
  const read: Buffer[] = [];
  let size = 0;
  for await (const chunk of archive.chunks(part)) {
    size += chunk.length;
    if (size > mostText)
      throw refuse(413, `${part} of ${name} is larger than 200 MB.`, 'Take fewer workspaces at once.');
    read.push(chunk);
  }
  try {
    return JSON.parse(Buffer.concat(read).toString('utf8')) as unknown;
  } catch {
    throw refuse(422, `${part} of ${name} is no JSON.`, 'Send the package as it was taken out.');
  }
}

const unreadable = (name: string, part: string, { message, details }: Joi.ValidationError): Refusal =>
  refuse(
    422,
    `${part} of ${name} cannot be read: ${message}.`,
    'Send the package as it was taken out.',
    `/${details[0]?.path.join('/') ?? ''}`,
  );
