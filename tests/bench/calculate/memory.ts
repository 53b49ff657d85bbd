import { all, create, type FactoryFunctionMap } from 'mathjs';
import { checkFormula } from '../../../src/lib/core/formula/checker';
import { evaluate, type EvaluationContext } from '../../../src/lib/core/formula/evaluator';
import { calculationSteps, cycleThrough } from '../../../src/lib/core/flow/graph';
import type { Scalar } from '../../../src/lib/core/types/expression';
import type { Model, Table } from '../../../src/lib/core/types/model';
import type { Field } from '../../../src/lib/core/types/field';
import { figure, median, type Figure } from '../measure';

const field = (id: string, type: Field['type']): Field => ({
  id,
  key: id,
  label: id,
  help: '',
  required: false,
  unique: false,
  type,
});
const table = (key: string, fields: readonly Field[]): Table => ({
  id: `t_${key}`,
  key,
  label: key,
  description: '',
  dye: 'woad',
  title: null,
  fields,
});

const records = 100_000;

/** The same formula in both languages, exact decimals on both sides. */
const written: readonly (readonly [ours: string, theirs: string])[] = [
  ['kg * price + 3', 'kg * price + 3'],
  ['round(kg * price / 7, 2)', 'round(kg * price / 7, 2)'],
  ['case when kg > 50 then kg * 1.1 else price - kg end', 'kg > 50 ? kg * 1.1 : price - kg'],
  ['abs(kg - price) + mod(kg, 7)', 'abs(kg - price) + mod(kg, 7)'],
];

/** (e) Formulas in memory over 100,000 records: values a second, beside a general-purpose library set to decimals. */
export function inMemory(): Figure[] {
  const visits = table('visits', [
    field('kg', { kind: 'number', digits: null }),
    field('price', { kind: 'number', digits: null }),
  ]);
  const model: Model = { tables: [visits] };
  const math = create(all as FactoryFunctionMap, { number: 'BigNumber', precision: 40 });
  const rows = Array.from({ length: records }, (_, i) => ({
    kg: String((i * 7919) % 1000) + '.25',
    price: String((i * 31) % 97) + '.5',
  }));
  const scopes = rows.map(({ kg, price }) => ({ kg: math.bignumber(kg), price: math.bignumber(price) }));
  const context: EvaluationContext = {
    model,
    today: '2026-05-16',
    records: { value: (_, id, name): Scalar => rows[id]?.[name as 'kg' | 'price'] ?? null, linked: () => [] },
  };
  return written.map(([ours, theirs]) => {
    const { expression, problems } = checkFormula(model, visits.id, ours);
    if (!expression) throw new Error(problems[0]?.message);
    const compiled = math.compile(theirs);
    const times = { ours: [] as number[], theirs: [] as number[] };
    const sides = [
      () => {
        const started = performance.now();
        for (let id = 0; id < records; id++) evaluate(expression, id, context);
        times.ours.push(performance.now() - started);
      },
      () => {
        const started = performance.now();
        for (const scope of scopes) String(compiled.evaluate(scope));
        times.theirs.push(performance.now() - started);
      },
    ];
    for (let id = 0; id < records; id += 997) {
      const [a, b] = [String(evaluate(expression, id, context)), String(compiled.evaluate(scopes[id]))];
      if (Math.abs(Number(a) - Number(b)) > 1e-9) throw new Error(`${ours}: ${a} is not ${b}`);
    }
    for (let round = 0; round < 5; round++) for (const side of round % 2 === 0 ? sides : sides.toReversed()) side();
    return figure(
      'calculate',
      `(e) ${ours}`,
      (median(times.ours) * 1000) / records,
      (median(times.theirs) * 1000) / records,
      'µs a value',
      null,
    );
  });
}

/**
 * (f) Checking and planning a model of 150 tables and 2,000 fields, 600 of them calculated, and one more formula in it.
 */
export function planning(): Figure[] {
  const tables = 150;
  const own = (at: number): Field[] => [
    field(`f${at}_name`, { kind: 'text' }),
    ...Array.from({ length: 6 }, (_, i) => field(`f${at}_n${i}`, { kind: 'number', digits: null })),
    ...(at > 0
      ? [field(`f${at}_up`, { kind: 'link', to: `t_x${at - 1}`, onDelete: 'prevent', counterpart: `f${at}_down` })]
      : []),
    ...(at < tables - 1
      ? [field(`f${at + 1}_down`, { kind: 'counterpart', from: `t_x${at + 1}`, link: `f${at + 1}_up` })]
      : []),
  ];
  const plain: Model = { tables: Array.from({ length: tables }, (_, at) => table(`x${at}`, own(at))) };
  const sources = Array.from({ length: tables }, (_, at) => [
    `f${at}_n0 * f${at}_n1 + 3`,
    at < tables - 1
      ? `sum(f${at + 1}_down.f${at + 1}_n0) filter (where f${at + 1}_down.f${at + 1}_n1 > 2)`
      : `f${at}_n2 / f${at}_n3`,
    at > 0 ? `f${at}_up.f${at - 1}_n0 - f${at}_n4` : `f${at}_n5 - 1`,
    `case when f${at}_n1 > 5 then f${at}_name else 'none' end`,
  ]);
  const check = (model: Model, at: number, text: string) => {
    const { expression, problems } = checkFormula(model, `t_x${at}`, text);
    if (!expression) throw new Error(`${text}: ${problems[0]?.message}`);
    return expression;
  };
  const build = (): Model => ({
    tables: plain.tables.map((one, at) => ({
      ...one,
      fields: [
        ...one.fields,
        ...(sources[at] ?? []).map((text, i) => {
          const formula = check(plain, at, text);
          return field(`f${at}_c${i}`, { kind: 'formula', formula, result: formula.type });
        }),
      ],
    })),
  });
  const plan = (model: Model) => {
    const steps = calculationSteps(model);
    for (const { fields } of steps)
      for (const one of fields) if (cycleThrough(model, one.field.id)) throw new Error('a cycle');
    return steps.length;
  };
  const whole: number[] = [];
  const more: number[] = [];
  const text = 'f75_c0 + f75_c2 * 2';
  for (let round = 0; round < 15; round++) {
    let started = performance.now();
    const model = build();
    plan(model);
    whole.push(performance.now() - started);
    started = performance.now();
    const formula = check(model, 75, text);
    const grown: Model = {
      tables: model.tables.map((one, at) =>
        at === 75
          ? { ...one, fields: [...one.fields, field('f75_more', { kind: 'formula', formula, result: formula.type })] }
          : one,
      ),
    };
    if (cycleThrough(grown, 'f75_more')) throw new Error('a cycle');
    more.push(performance.now() - started);
  }
  const fields = build().tables.reduce((sum, one) => sum + one.fields.length, 0);
  return [
    figure(
      'calculate',
      `(f) checking and planning 150 tables, ${fields} fields, 600 calculated`,
      median(whole),
      null,
      'ms',
      100,
    ),
    figure('calculate', '(f) one more formula in it', median(more), null, 'ms', 5),
  ];
}
