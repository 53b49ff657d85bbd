import { parse } from 'svelte/compiler';

/**
 * Finds what people read in the markup of components, so that it is said in their language: texts with the expressions
 * between them as one sentence, attributes that are read, and the texts that expressions choose between.
 */

/** Attributes that people read. */
const read = new Set(
  'label title aria-label placeholder alt heading hint help summary purpose legend called empty about'.split(' '),
);
/** What is said as it is written: what is typed so, and what only looks like words. */
const verbatim = new Set(['code', 'pre', 'kbd', 'script', 'style', 'textarea']);
/** The same of one component: what an inspector is about, and what the button of a form says. */
const readOf = { Inspector: 'kind', FormFill: 'action' };
/** Members of what a script lists, such as the items of a menu, that people read. */
const members = new Set('label words title about hint help purpose heading legend section'.split(' '));
/** What people are told: it begins large, or with what it is about, and ends as a sentence does. */
const wholeSentence = /^[\p{Lu}“{].* .*[.?…]$/su;
/** What is called so gives words. */
const givesWords = /words$/i;
/** The product is called the same in all of them. */
const letters = { test: (text) => /\p{L}{2,}/u.test(text.replaceAll('Inner Loom', '')) };
const blank = /\s+/g;

/**
 * The places of a component's source that say something, as replacements `{start, end, code}`, and the texts in them.
 * @param {string} source
 * @param {(text: string, values: readonly string[]) => string} call how a text with its values is said, as code
 * @param {boolean} isModule whether the script is a module, which runs once for everybody
 */
export function textsOf(source, call, isModule = false) {
  /** @type {{start: number, end: number, code: string}[]} */
  const places = [];
  /** @type {Set<string>} */
  const texts = new Set();
  const { fragment, instance } = parse(source, { modern: true });

  const said = (text, values) => {
    texts.add(text);
    return call(text, values);
  };

  /** The code of an expression with the texts that it comes to. */
  function expression(node) {
    /** @type {{start: number, end: number, code: string}[]} */
    const within = [];
    const look = (one) => {
      if (!one || typeof one !== 'object') return;
      if (one.type === 'ConditionalExpression') [one.consequent, one.alternate].forEach(look);
      else if (one.type === 'LogicalExpression') [one.left, one.right].forEach(look);
      else if (one.type === 'Literal' && typeof one.value === 'string' && letters.test(one.value))
        within.push({ start: one.start, end: one.end, code: edged(one.value, []) });
      else if (one.type === 'TemplateLiteral' && one.quasis.some(({ value }) => letters.test(value.cooked)))
        within.push({
          start: one.start,
          end: one.end,
          code: edged(
            one.quasis.map(({ value }, at) => value.cooked + (at < one.expressions.length ? `{${at}}` : '')).join(''),
            one.expressions.map(expression),
          ),
        });
      else if (one.type === 'CallExpression' && one.callee.name === 'counted') count(one.arguments);
      else if (one.type === 'CallExpression' && one.callee.name === 'say') saidByHand(one.arguments);
    };
    look(node);
    return spliced(source, node.start, node.end, within);
  }

  /** A text with the blanks at its edges as they are. */
  function edged(text, values) {
    const [, before, inner, after] = /^(\s*)(.*?)(\s*)$/su.exec(text);
    const code = said(inner.replaceAll(blank, ' '), values);
    return before || after ? `(${JSON.stringify(before)} + ${code} + ${JSON.stringify(after)})` : code;
  }

  function saidByHand([text]) {
    if (text?.type === 'Literal') texts.add(text.value);
  }

  function count([, one, many]) {
    if (one?.type !== 'Literal') return;
    texts.add(`{0} ${one.value}`);
    texts.add(`{0} ${many?.type === 'Literal' ? many.value : `${one.value}s`}`);
  }

  /** Texts and expressions that stand beside each other, as code; null where nothing of them is read. */
  function sentence(nodes) {
    if (!nodes.some(({ type, data }) => type === 'Text' && letters.test(data))) return null;
    const values = [];
    let text = '';
    for (const node of nodes)
      if (node.type === 'Text') text += node.data;
      else if (node.expression.type === 'Literal') text += node.expression.value;
      else {
        text += `{${values.length}}`;
        values.push(expression(node.expression));
      }
    const [, before, inner, after] = /^(\s*)(.*?)(\s*)$/su.exec(text);
    return { before, after, code: said(inner.replaceAll(blank, ' '), values) };
  }

  function run(nodes) {
    if (nodes.length === 0) return;
    const whole = sentence(nodes);
    if (whole)
      places.push({
        start: nodes[0].start,
        end: nodes.at(-1).end,
        code: `${whole.before}{${whole.code}}${whole.after}`,
      });
    else for (const node of nodes) if (node.type === 'ExpressionTag') tag(node);
  }

  function tag(node) {
    const code = expression(node.expression);
    const { start, end } = node.expression;
    if (code !== source.slice(start, end)) places.push({ start, end, code });
  }

  function attribute({ name, value, start, end }, isRead) {
    if (value === true) return;
    const nodes = Array.isArray(value) ? value : [value];
    // A list that is handed on, such as the items of a menu.
    if (!isRead) return void nodes.forEach(({ expression: listed }) => script(listed));
    const whole = Array.isArray(value) ? sentence(nodes) : null;
    if (whole) places.push({ start, end, code: `${name}={${whole.code}}` });
    else for (const node of nodes) if (node.type === 'ExpressionTag') tag(node);
  }

  function walk(nodes) {
    let beside = [];
    for (const node of nodes)
      if (node.type === 'Text' || node.type === 'ExpressionTag') beside.push(node);
      else {
        run(beside);
        beside = [];
        visit(node);
      }
    run(beside);
  }

  function visit(node) {
    if (verbatim.has(node.name)) return;
    const attributes = node.attributes ?? [];
    for (const one of attributes)
      if (one.type === 'Attribute') attribute(one, read.has(one.name) || readOf[node.name] === one.name);
    // Without a value, what an option says is its value.
    if (node.name === 'option' && !attributes.some(({ name }) => name === 'value')) return;
    for (const part of ['fragment', 'consequent', 'alternate', 'body', 'pending', 'then', 'catch', 'fallback'])
      if (node[part]?.nodes) walk(node[part].nodes);
  }

  /** The places in scripts that say something when they run: what is listed, and what words are chosen. */
  function script(node, within = true) {
    if (!node || typeof node !== 'object') return;
    if (Array.isArray(node)) return node.forEach((one) => script(one, within));
    if (!node.type) return;
    const inside = within || node.type.includes('Function');
    if (node.type === 'CallExpression' && node.callee.name === 'say') {
      saidByHand(node.arguments);
      return script(node.arguments.slice(1), within);
    }
    if (within && isSentence(node) && replaced(node)) return;
    // What a module lists is there before anybody's language is known.
    if (within && node.type === 'Property' && members.has(node.key.name) && replaced(node.value)) return;
    if (node.type === 'VariableDeclarator' && givesWords.test(node.id.name)) {
      const init = node.init?.type.startsWith('TS') ? node.init.expression : node.init;
      if (within && init?.type === 'ObjectExpression') return init.properties.forEach(({ value }) => replaced(value));
      if (init?.type === 'ArrowFunctionExpression' && !init.expression) return returned(init.body);
      if (init?.type === 'ArrowFunctionExpression' && replaced(init.body)) return;
    }
    if (node.type === 'FunctionDeclaration' && givesWords.test(node.id.name)) return returned(node.body);
    for (const [key, part] of Object.entries(node)) if (key !== 'loc' && typeof part === 'object') script(part, inside);
  }

  const isSentence = ({ type, value, quasis }) =>
    (type === 'Literal' && typeof value === 'string' && wholeSentence.test(value)) ||
    (type === 'TemplateLiteral' && wholeSentence.test(quasis.map((one) => one.value.cooked).join('{0}')));

  /** Whether something in the expression is said. */
  function replaced(node) {
    const code = node && expression(node);
    if (!node || code === source.slice(node.start, node.end)) return false;
    places.push({ start: node.start, end: node.end, code });
    return true;
  }

  function returned(node) {
    if (!node || typeof node !== 'object') return;
    if (Array.isArray(node)) return node.forEach(returned);
    if (node.type === 'ReturnStatement') replaced(node.argument);
    else if (node.type === 'Property') replaced(node.value);
    else for (const [key, part] of Object.entries(node)) if (key !== 'loc' && typeof part === 'object') returned(part);
  }

  walk(fragment.nodes);
  script(instance?.content, !isModule);
  return { places: places.toSorted((a, b) => a.start - b.start), texts };
}

/** A piece of a source with some of its places replaced. */
export function spliced(source, start, end, places) {
  let [code, at] = ['', start];
  for (const place of places) {
    code += source.slice(at, place.start) + place.code;
    at = place.end;
  }
  return code + source.slice(at, end);
}
