import { bad, good } from '../../base/problem';
import { printStanding, readFormula } from '../../filled/written';
import { saidTemplate } from '../said';
import type { StepDescriptor } from '../step';
import { formulasOf, mapTemplate, printTemplate, readTemplate } from '../template';

export const call: StepDescriptor<'call'> = {
  label: 'Call a web address',
  help: 'Sends values to an address of the web, as JSON.',
  sends: true,
  formulas: ({ address, values }) => [...formulasOf(address), ...values.map(({ formula }) => formula)],
  writes: () => [],
  turned: (step, { formula }) => ({
    ...step,
    address: mapTemplate(step.address, formula),
    values: step.values.map((one) => ({ ...one, formula: formula(one.formula) })),
  }),
  words: ({ scope }, { address, values }) =>
    `call ${saidTemplate(scope.model, address)}${values.length > 0 ? ` with ${values.map(({ name }) => name).join(', ')}` : ''}`,
  print: ({ scope }, { address, values }) => ({
    do: 'call',
    address: printTemplate(scope, address),
    values: Object.fromEntries(values.map(({ name, formula }) => [name, printStanding(scope.model, formula)])),
  }),
  read({ scope }, json, at) {
    const address = readTemplate(scope, json.address, `${at}/address`);
    if (!address.ok) return address;
    const [first] = address.value;
    // Whose server it is must not be for a record to say.
    if (typeof first !== 'string' || !/^(?:https?:\/\/[^/{}]+(?:\/|$)|\/stand-ins\/web\/)/.test(first))
      return bad(
        'The address does not say whose server is called.',
        'Begin with https:// and its name; fields can stand behind.',
        `${at}/address`,
      );
    const values: { name: string; formula: ReturnType<typeof formulasOf>[number] }[] = [];
    for (const [name, text] of Object.entries((json.values ?? {}) as Record<string, unknown>)) {
      const formula = readFormula(scope.model, scope.table, text, `${at}/values/${name}`);
      if (!formula.ok) return formula;
      values.push({ name, formula: formula.value });
    }
    return good({ do: 'call', address: address.value, values });
  },
};
