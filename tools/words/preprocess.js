import { spliced, textsOf } from './texts.js';

const called = 'sayInWords';
const line = `import { say as ${called} } from '$core/base/say';`;
const call = (text, values) => `${called}(${[JSON.stringify(text), ...values].join(', ')})`;

/** A preprocessor of components by which all that people read in their markup is said in the language they chose. */
export const sayInLanguages = () => ({
  name: 'say in languages',
  markup({ content, filename = '' }) {
    if (filename.includes('node_modules')) return;
    const { places } = textsOf(content, call);
    if (places.length === 0) return;
    const code = spliced(content, 0, content.length, places);
    const script = /<script(?![^>]*\bmodule\b)[^>]*>/.exec(code);
    if (!script) return { code: `<script lang="ts">${line}</script>${code}` };
    const at = script.index + script[0].length;
    return { code: `${code.slice(0, at)}${line}${code.slice(at)}` };
  },
});

const opened = '<script lang="ts">';

/** The modules that tell people something: those of the interface, and what reads the values that are entered. */
export const speaks = (path) =>
  /\/src\/lib\/(?:ui|core\/fieldTypes)\/[^?]*(?<!\.test|\.d)\.ts$|\/core\/forms\/entry\.ts$/.test(path);

/** The texts of a module, as those of a component. */
export const moduleTexts = (code, how) => textsOf(`${opened}${code}</script>`, how, true);

/** The same for the modules beside components, which Vite runs. */
export const sayInModules = () => ({
  name: 'say in languages',
  enforce: 'pre',
  transform(code, id) {
    if (!speaks(id)) return;
    const { places } = moduleTexts(code, call);
    if (places.length === 0) return;
    const source = `${opened}${code}</script>`;
    return { code: line + spliced(source, opened.length, opened.length + code.length, places), map: null };
  },
});
