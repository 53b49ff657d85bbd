import { execFileSync } from 'node:child_process';
import { existsSync, mkdirSync, readFileSync, readdirSync, renameSync, rmSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { pathToFileURL } from 'node:url';
import type { PackageFiles } from './case';

const folder = resolve(import.meta.dirname, '../../.loom/truth');

const nowhere = { bytes: missing, json: missing, module: missing };
function missing(): never {
  throw new Error('what is made up here has no package');
}

/** The files of a package of the npm registry at one version, fetched once and kept beside the database. */
export function packageFiles(from: { readonly package: string; readonly version: string } | null): PackageFiles {
  if (!from) return nowhere;
  const { package: name, version } = from;
  const own = join(folder, `${name.replace(/\W+/g, '-')}-${version}`);
  if (!existsSync(own)) fetchInto(`${name}@${version}`, own);
  const bytes = (path: string) => readFileSync(join(own, path));
  return {
    bytes,
    json: (path) => JSON.parse(bytes(path).toString('utf8')) as unknown,
    module: async (path) => {
      // Modules in files called .js are read as modules only where something says so.
      const text = bytes(path).toString('utf8');
      const url = /^\s*export /m.test(text)
        ? `data:text/javascript,${encodeURIComponent(text)}`
        : pathToFileURL(join(own, path)).href;
      const loaded = (await import(url)) as { default: unknown };
      return loaded.default;
    },
  };
}

function fetchInto(spec: string, own: string): void {
  const packed = `${own}.packing`;
  rmSync(packed, { recursive: true, force: true });
  mkdirSync(packed, { recursive: true });
  execFileSync('npm', ['pack', spec, '--silent'], { cwd: packed, stdio: ['ignore', 'ignore', 'inherit'] });
  const archive = readdirSync(packed).find((one) => one.endsWith('.tgz'));
  if (!archive) throw new Error(`npm packed nothing for ${spec}`);
  execFileSync('tar', ['xzf', archive], { cwd: packed });
  rmSync(join(packed, archive));
  const [inner = ''] = readdirSync(packed);
  renameSync(join(packed, inner), own);
  rmSync(packed, { recursive: true, force: true });
}
