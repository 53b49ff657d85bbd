import type { Syntax } from './syntax';

/** The paths in a written formula, wherever they stand. */
export function pathsIn(syntax: Syntax): (Syntax & { node: 'path' })[] {
  switch (syntax.node) {
    case 'path':
      return [syntax];
    case 'cast':
      return pathsIn(syntax.arg);
    case 'call':
      return [...syntax.args, ...syntax.order.map(({ by }) => by), ...(syntax.filter ? [syntax.filter] : [])].flatMap(
        pathsIn,
      );
    case 'case':
      return [
        ...(syntax.operand ? [syntax.operand] : []),
        ...syntax.whens.flatMap(({ when, then }) => [when, then]),
        ...(syntax.otherwise ? [syntax.otherwise] : []),
      ].flatMap(pathsIn);
    default:
      return [];
  }
}
