import { existsSync, readdirSync, writeFileSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { pathToFileURL } from 'node:url';
import ts from 'typescript';
import { format, resolveConfig } from 'prettier';

/**
 * Writes the JSON Schema of every call's answer from the type that its code gives, so that the OpenAPI document cannot
 * say anything else than the code does: what TypeScript knows of the answer, as JSON writes it.
 */
const folder = 'src/lib/server/api';
export const written = `${folder}/answerSchemas.json`;

type Schema = Record<string, unknown>;

/** Unions of so many members are written where they stand, larger ones under their name. */
const fewMembers = 4;

/** The schemas by the name of the call, and the types that they share. */
export interface AnswerSchemas {
  readonly answers: Readonly<Record<string, Schema>>;
  readonly shared: Readonly<Record<string, Schema>>;
}

const filesIn = (path: string): string[] =>
  readdirSync(path, { withFileTypes: true }).flatMap((entry) =>
    entry.isDirectory()
      ? filesIn(join(path, entry.name))
      : entry.name.endsWith('.ts') && !entry.name.endsWith('.test.ts')
        ? [join(path, entry.name)]
        : [],
  );

/** The schemas of all calls, from the types as they are now. */
export function answerSchemas(): AnswerSchemas {
  const config = ts.getParsedCommandLineOfConfigFile(
    'tsconfig.json',
    {},
    { ...ts.sys, onUnRecoverableConfigFileDiagnostic: () => undefined },
  );
  const files = filesIn(folder).map((file) => resolve(file));
  const program = ts.createProgram(files, { ...config?.options, noEmit: true });
  const checker = program.getTypeChecker();
  const writer = new SchemaWriter(checker);
  const answers: Record<string, Schema> = {};
  for (const file of files) {
    const source = program.getSourceFile(file);
    const module = source && checker.getSymbolAtLocation(source);
    for (const symbol of module ? checker.getExportsOfModule(module) : []) {
      const type = checker.getTypeOfSymbol(symbol);
      const answer = type.getProperty('answer');
      if (!answer || !type.getProperty('path') || !type.getProperty('method')) continue;
      const [call] = checker.getTypeOfSymbol(answer).getCallSignatures();
      const given = call && checker.getAwaitedType(call.getReturnType());
      if (given) answers[symbol.name] = writer.of(given);
    }
  }
  return { answers: sorted(answers), shared: sorted(writer.shared) };
}

const sorted = (of: Readonly<Record<string, Schema>>): Record<string, Schema> =>
  Object.fromEntries(Object.entries(of).sort(([a], [b]) => (a < b ? -1 : 1)));

/** Types as JSON writes their values: what is undefined or a function is left out, an instant is a text. */
class SchemaWriter {
  readonly shared: Record<string, Schema> = {};
  private readonly names = new Map<ts.Type, string>();

  constructor(private readonly checker: ts.TypeChecker) {}

  of(type: ts.Type): Schema {
    const { flags } = type;
    if (flags & (ts.TypeFlags.Any | ts.TypeFlags.Unknown)) return {};
    if (flags & ts.TypeFlags.Null) return { type: 'null' };
    if (flags & ts.TypeFlags.BooleanLiteral) return { const: this.checker.typeToString(type) === 'true' };
    if (type.isStringLiteral() || type.isNumberLiteral()) return { const: type.value };
    if (flags & (ts.TypeFlags.String | ts.TypeFlags.TemplateLiteral | ts.TypeFlags.StringMapping))
      return { type: 'string' };
    if (flags & ts.TypeFlags.Number) return { type: 'number' };
    if (flags & ts.TypeFlags.Boolean) return { type: 'boolean' };
    if (flags & (ts.TypeFlags.Undefined | ts.TypeFlags.Void)) return { type: 'null' };
    if (type.isUnion()) return this.ofUnion(type);
    if (type.isIntersection() && type.types.some((one) => one.flags & ts.TypeFlags.StringLike))
      return { type: 'string' };
    if (type.isIntersection() && type.types.some((one) => one.flags & ts.TypeFlags.NumberLike))
      return { type: 'number' };
    return this.named(type);
  }

  private ofUnion(type: ts.UnionType): Schema {
    const isNamed = type.aliasSymbol !== undefined && (type.aliasTypeArguments ?? []).length === 0;
    if (isNamed && type.types.length > fewMembers)
      return this.once(type, type.aliasSymbol?.name ?? '', () => this.ofMembers(type));
    return this.ofMembers(type);
  }

  private ofMembers(type: ts.UnionType): Schema {
    // What a union was written with: of `Icon | null` the icons are one member, and not each by itself.
    const { origin } = type as { origin?: ts.Type };
    const types = origin?.isUnion() ? origin.types : type.types;
    const told = types.filter((one) => !(one.flags & (ts.TypeFlags.Undefined | ts.TypeFlags.Void)));
    const texts = told.filter((one): one is ts.StringLiteralType => one.isStringLiteral());
    const booleans = told.filter((one) => one.flags & ts.TypeFlags.BooleanLiteral);
    const isBoth = booleans.length === 2;
    const others = told.filter((one) => !one.isStringLiteral() && !(isBoth && booleans.includes(one)));
    const parts = [
      ...(texts.length > 1
        ? [{ type: 'string', enum: texts.map(({ value }) => value).sort() }]
        : texts.map((one) => this.of(one))),
      ...(isBoth ? [{ type: 'boolean' }] : []),
      ...others.map((one) => this.of(one)),
    ];
    const once = [...new Map(parts.map((part) => [JSON.stringify(part), part])).values()];
    // Anything at all, beside something else, is anything.
    if (once.some((part) => Object.keys(part).length === 0)) return {};
    return once.length === 1 ? (once[0] as Schema) : { anyOf: once };
  }

  /** What is written under a name, and pointed at from then on. */
  private once(type: ts.Type, own: string, write: () => Schema): Schema {
    const known = this.names.get(type);
    if (known) return { $ref: `#/components/schemas/${known}` };
    let name = own;
    for (let n = 2; name in this.shared; n++) name = `${own}${n}`;
    this.names.set(type, name);
    // Its place is taken before what it is made of is looked at, as that may be itself.
    this.shared[name] = {};
    this.shared[name] = write();
    return { $ref: `#/components/schemas/${name}` };
  }

  /** Types with a name of their own are written once. */
  private named(type: ts.Type): Schema {
    const symbol = type.aliasSymbol ?? type.symbol;
    const own = symbol?.name ?? '__type';
    const isListed = this.checker.isArrayType(type) || this.checker.isTupleType(type);
    const isGeneric =
      (type.aliasTypeArguments ?? []).length > 0 || ((type as ts.TypeReference).typeArguments ?? []).length > 0;
    if (own.startsWith('__') || isListed || isGeneric || builtIn.has(own)) return this.ofObject(type);
    return this.once(type, own, () => this.ofObject(type));
  }

  private readonly open: ts.Type[] = [];
  private ofObject(type: ts.Type): Schema {
    const name = type.symbol?.name;
    if (name === 'Date') return { type: 'string', format: 'date-time' };
    if (name === 'Response') return { description: 'a file or a stream' };
    if (name !== undefined && ['Map', 'Set', 'ReadonlyMap', 'ReadonlySet'].includes(name)) return { type: 'object' };
    const { checker } = this;
    if (checker.isTupleType(type)) {
      const parts = checker.getTypeArguments(type as ts.TypeReference);
      return {
        type: 'array',
        prefixItems: parts.map((one) => this.of(one)),
        minItems: parts.length,
        maxItems: parts.length,
      };
    }
    if (checker.isArrayType(type)) {
      const [item] = checker.getTypeArguments(type as ts.TypeReference);
      return { type: 'array', items: item ? this.of(item) : {} };
    }
    if (this.open.includes(type)) return {};
    this.open.push(type);
    const properties: Record<string, Schema> = {};
    const required: string[] = [];
    for (const property of checker.getPropertiesOfType(type)) {
      const own = checker.getTypeOfSymbol(property);
      if (own.getCallSignatures().length > 0 || property.name.startsWith('__')) continue;
      const isMissing = (one: ts.Type) => (one.flags & ts.TypeFlags.Undefined) !== 0;
      if (isMissing(own)) continue;
      properties[property.name] = this.of(own);
      const mayMiss = (property.flags & ts.SymbolFlags.Optional) !== 0 || (own.isUnion() && own.types.some(isMissing));
      const isAnything = (own.flags & (ts.TypeFlags.Any | ts.TypeFlags.Unknown)) !== 0;
      if (!mayMiss && !isAnything) required.push(property.name);
    }
    const others = type.getStringIndexType() ?? type.getNumberIndexType();
    this.open.pop();
    return {
      type: 'object',
      ...(Object.keys(properties).length > 0 ? { properties } : {}),
      ...(required.length > 0 ? { required: required.sort() } : {}),
      ...(others ? { additionalProperties: this.of(others) } : {}),
    };
  }
}

const builtIn = new Set([
  'Array',
  'ReadonlyArray',
  'Date',
  'Response',
  'Map',
  'Set',
  'ReadonlyMap',
  'ReadonlySet',
  'Object',
]);

/** The file as it is written: so that a difference is one of content. */
export async function asWritten(schemas: AnswerSchemas): Promise<string> {
  return format(JSON.stringify(schemas), { ...(await resolveConfig(written)), filepath: written });
}

if (process.argv[1] && import.meta.url === pathToFileURL(process.argv[1]).href) {
  if (!existsSync(folder)) throw new Error('run it in the folder of the project');
  writeFileSync(written, await asWritten(answerSchemas()));
}
