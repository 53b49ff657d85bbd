import Joi from 'joi';
import { looks } from '../base/looks';
import type { Dye } from '$core/types/field';
import type { Icon } from '$core/types/icons';

/** The format of a package’s structure; a later one is not read. */
export const packageFormat = 1;

/** Where things stand in a package; all else is found by the descriptor. */
export const places = {
  descriptor: 'datapackage.json',
  structure: 'structure.json',
  aside: 'data/set_aside.csv',
  data: (resource: string) => `data/${resource}.csv`,
  file: (hash: string) => `files/${hash}`,
} as const;

/** Numbers given last, by table, and by `table.field` for running numbers: none is given twice after it came in. */
export type LastNumbers = Readonly<Record<string, number>>;

/** A workspace of a package: what it is called, and its structure as it is written everywhere, by keys. */
export interface PackedWorkspace {
  readonly key: string;
  readonly label: string;
  readonly description: string;
  readonly zone: string;
  readonly dye: Dye;
  readonly icon: Icon | null;
  /** Where tables stand in Weave, by key. */
  readonly weave: Readonly<Record<string, { readonly x: number; readonly y: number }>>;
  readonly last: LastNumbers;
  readonly structure: WrittenStructure;
}

export interface WrittenStructure {
  readonly tables: readonly (Readonly<Record<string, unknown>> & {
    readonly key: string;
    readonly label: string;
    readonly fields: readonly (Readonly<Record<string, unknown>> & { readonly key: string; readonly type: string })[];
  })[];
}

/** The structure of a package, whole. */
export interface PackedStructure {
  readonly package: number;
  readonly workspaces: readonly PackedWorkspace[];
  /** What was left out, in words. */
  readonly left: readonly string[];
}

const key = Joi.string()
  .pattern(/^[a-z][a-z0-9_]*$/)
  .max(63);
const coordinate = Joi.number().min(-1_000_000).max(1_000_000);

export const structureSchema = Joi.object({
  package: Joi.number().integer().valid(packageFormat).required(),
  workspaces: Joi.array()
    .min(1)
    .max(100)
    .unique('key')
    .items(
      Joi.object({
        key: key.required(),
        label: Joi.string().trim().max(120).required(),
        description: Joi.string().allow('').max(2000).default(''),
        zone: Joi.string().max(60).default('UTC'),
        ...looks,
        weave: Joi.object()
          .pattern(key, Joi.object({ x: coordinate.required(), y: coordinate.required() }))
          .max(2000)
          .default({}),
        last: Joi.object()
          .pattern(Joi.string().max(130), Joi.number().integer().min(0).max(Number.MAX_SAFE_INTEGER))
          .max(10_000)
          .default({}),
        structure: Joi.object({
          tables: Joi.array()
            .max(1000)
            .unique('key')
            .items(
              Joi.object({
                key: key.required(),
                label: Joi.string().required(),
                fields: Joi.array()
                  .max(1000)
                  .unique('key')
                  .items(Joi.object({ key: Joi.string().required(), type: Joi.string().required() }).unknown(true))
                  .required(),
              }).unknown(true),
            )
            .required(),
        })
          .unknown(true)
          .required(),
      }),
    )
    .required(),
  left: Joi.array().items(Joi.string().max(500)).max(10_000).default([]),
});
