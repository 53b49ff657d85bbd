import { LRUCache } from 'lru-cache';
import sharp from 'sharp';
import type { WorkspaceAccess } from '../access/workspaceAccess';
import { Refusal } from '../base/refusal';
import type { Pool } from '../database/pool';
import { fileAt, mostPixels } from '../files/store';

/** A picture as it is put on paper; pixels. */
export type PaperPicture = Pixels | Drawing;

export interface Pixels {
  readonly bytes: Buffer;
  readonly type: 'png' | 'jpeg';
  readonly width: number;
  readonly height: number;
}

/** What is drawn as lines and letters, made by the program itself. */
interface Drawing {
  readonly svg: string;
  readonly type: 'svg';
  readonly width: number;
  readonly height: number;
}

/** As fine as paper shows it over its whole width: 200 dots an inch. */
const mostWide = 1600;
/** So many pictures are held while documents are made; of a thousand delivery notes the logo is read once. */
const mostHeld = 24;

/** Pictures of a workspace for paper, made small; null for what is no picture, or is not there. */
export function pictureSource(pool: Pool, access: WorkspaceAccess): (file: string) => Promise<Pixels | null> {
  const known = new LRUCache<string, Promise<Pixels | null>>({ max: mostHeld });
  return (file) => {
    const held = known.get(file) ?? read(pool, access, file);
    known.set(file, held);
    return held;
  };
}

async function read(pool: Pool, access: WorkspaceAccess, hash: string): Promise<Pixels | null> {
  const kept = await fileAt(pool, access, hash).catch((error: unknown) => {
    // It was sent to another workspace, or never. What else goes wrong is no fault of the picture.
    if (error instanceof Refusal) return null;
    throw error;
  });
  if (!kept?.shown) return null;
  const picture = sharp(kept.path, { limitInputPixels: mostPixels, failOn: 'error' })
    .rotate()
    .resize({ width: mostWide, height: mostWide * 2, fit: 'inside', withoutEnlargement: true });
  try {
    const { hasAlpha } = await picture.metadata();
    const made = hasAlpha ? picture.png() : picture.jpeg({ quality: 85 });
    const { data, info } = await made.toBuffer({ resolveWithObject: true });
    return { bytes: data, type: hasAlpha ? 'png' : 'jpeg', width: info.width, height: info.height };
  } catch {
    // Its first bytes say a picture, the rest does not.
    return null;
  }
}
