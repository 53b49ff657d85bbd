import { mergeAttributes, Node, type Editor, type NodeViewRendererProps } from '@tiptap/core';
import { Table, TableCell, TableHeader, TableRow } from '@tiptap/extension-table';
import { TextAlign } from '@tiptap/extension-text-align';
import { StarterKit } from '@tiptap/starter-kit';

/** What the nodes of a design say of themselves, which only the page they stand on knows. */
export interface NodeWords {
  /** A field or formula where it stands, in a person's words. */
  readonly formula: (formula: string, editor: Editor, position: number) => string;
  /** What a part is repeated for. */
  readonly over: (over: string, editor: Editor, position: number) => string;
  /** The address of a picture. */
  readonly picture: (file: string) => string;
}

const attribute = (name: string, otherwise: unknown = null) => ({ [name]: { default: otherwise, rendered: false } });

/** A node by which others are told apart that were pasted from elsewhere: of pages of the web only texts come in. */
const mark = (name: string) => ({ 'data-node': name });

/** An element that says what a node is, and chooses it when pressed. */
function caption({ editor, getPos }: NodeViewRendererProps, words: string): HTMLElement {
  const element = document.createElement('span');
  element.className = 'caption';
  element.contentEditable = 'false';
  element.textContent = words;
  element.addEventListener('mousedown', (event) => {
    event.preventDefault();
    const at = getPos();
    if (at !== undefined) editor.chain().focus().setNodeSelection(at).run();
  });
  return element;
}

/** A block with a caption around other blocks. */
const around = (
  name: string,
  attrs: object,
  words: (attrs: Record<string, unknown>, editor: Editor, at: number) => string,
) =>
  Node.create({
    name,
    group: 'block',
    content: 'block+',
    defining: true,
    addAttributes: () => ({ ...attrs, ...attribute('lost') }),
    parseHTML: () => [{ tag: `section[data-node=${name}]` }],
    renderHTML: ({ HTMLAttributes }) => ['section', mergeAttributes(HTMLAttributes, mark(name)), 0],
    addNodeView: () => (props) => {
      const dom = document.createElement('section');
      dom.className = `around ${name}`;
      const contentDOM = document.createElement('div');
      const show = (node: NodeViewRendererProps['node']) => {
        const said = node.attrs.lost ? 'uses what was deleted' : words(node.attrs, props.editor, props.getPos() ?? 0);
        dom.replaceChildren(caption(props, said), contentDOM);
        dom.classList.toggle('lost', node.attrs.lost === true);
      };
      show(props.node);
      return {
        dom,
        contentDOM,
        update: (node) => node.type.name === name && (show(node), true),
        ignoreMutation: (change) => !contentDOM.contains(change.target) || change.target === dom,
      };
    },
  });

/** A thing that is not written into. */
const thing = (
  name: string,
  inline: boolean,
  attrs: object,
  show: (element: HTMLElement, attrs: Record<string, unknown>, editor: Editor, at: number) => void,
) =>
  Node.create({
    name,
    group: inline ? 'inline' : 'block',
    inline,
    atom: true,
    draggable: true,
    // A field is as bold as the text around it.
    marks: '_',
    addAttributes: () => attrs,
    parseHTML: () => [{ tag: `${inline ? 'span' : 'div'}[data-node=${name}]` }],
    renderHTML: ({ HTMLAttributes }) => [inline ? 'span' : 'div', mergeAttributes(HTMLAttributes, mark(name))],
    addNodeView: () => (props) => {
      const dom = document.createElement(inline ? 'span' : 'div');
      dom.className = `thing ${name}`;
      show(dom, props.node.attrs, props.editor, props.getPos() ?? 0);
      return {
        dom,
        update: (node) => node.type.name === name && (show(dom, node.attrs, props.editor, props.getPos() ?? 0), true),
      };
    },
  });

/** Everything that stands in a document, for its editor; the names are those of the API. */
export function extensionsOf(words: NodeWords) {
  const align = attribute('textAlign', 'left');
  return [
    StarterKit.configure({
      heading: { levels: [1, 2, 3] },
      blockquote: false,
      code: false,
      codeBlock: false,
      strike: false,
      link: false,
      trailingNode: false,
    }),
    TextAlign.configure({
      types: ['heading', 'paragraph'],
      alignments: ['left', 'center', 'right'],
      defaultAlignment: 'left',
    }),
    Table.extend({ addAttributes: () => attribute('lines', true) }).configure({ resizable: true, cellMinWidth: 30 }),
    TableRow.extend({
      addAttributes: () => ({
        ...attribute('over'),
        ...attribute('where'),
        ...attribute('sort'),
        ...attribute('when'),
        ...attribute('lost'),
      }),
      renderHTML: ({ HTMLAttributes, node }) => [
        'tr',
        mergeAttributes(HTMLAttributes, {
          class: node.attrs.over ? 'repeated' : node.attrs.when ? 'conditional' : '',
          ...(node.attrs.over ? { title: `once for each of ${String(node.attrs.over)}` } : {}),
        }),
        0,
      ],
    }),
    TableHeader,
    TableCell,
    around('repeat', { ...attribute('over'), ...attribute('where'), ...attribute('sort') }, ({ over }, editor, at) =>
      over ? `for each of ${words.over(String(over), editor, at)}` : 'repeated: choose for what',
    ),
    around('part', attribute('when'), ({ when }, editor, at) =>
      when ? `only if ${words.formula(String(when), editor, at)}` : 'only if: choose a condition',
    ),
    thing(
      'field',
      true,
      { ...attribute('formula'), ...attribute('lost') },
      (element, { formula, lost }, editor, at) => {
        element.textContent = lost
          ? 'deleted field'
          : formula
            ? words.formula(String(formula), editor, at)
            : 'choose a field';
        element.title = String(formula ?? '');
        element.classList.toggle('lost', lost === true || !formula);
      },
    ),
    thing('pageNumber', true, attribute('count', false), (element, { count }) => {
      element.textContent = count ? 'number of pages' : 'page number';
    }),
    thing('pageBreak', false, {}, (element) => {
      element.textContent = 'new page';
    }),
    thing(
      'picture',
      false,
      { ...attribute('file'), ...attribute('formula'), ...attribute('width', 40), ...attribute('alt', ''), ...align },
      (element, { file, formula, width, alt, textAlign }, editor, at) => {
        element.style.textAlign = String(textAlign);
        element.replaceChildren();
        if (!file || formula) {
          element.textContent = formula ? `pictures of ${words.formula(String(formula), editor, at)}` : 'a picture';
          return;
        }
        const image = document.createElement('img');
        image.src = words.picture(String(file));
        image.alt = String(alt);
        image.style.width = `${Number(width)}mm`;
        element.append(image);
      },
    ),
    thing(
      'code',
      false,
      { ...attribute('formula'), ...attribute('width', 25), ...align },
      (element, { formula, width, textAlign }, editor, at) => {
        element.style.textAlign = String(textAlign);
        const square = document.createElement('span');
        square.className = 'square';
        square.style.width = square.style.height = `${Number(width)}mm`;
        square.textContent = formula ? words.formula(String(formula), editor, at) : 'leads to the record';
        element.replaceChildren(square);
      },
    ),
  ];
}

/** What is around the place one writes at, from the inside out, and the place of each. */
export function aroundOf(
  editor: Editor,
): { readonly name: string; readonly attrs: Record<string, unknown>; readonly at: number }[] {
  const { selection } = editor.state;
  const found: { name: string; attrs: Record<string, unknown>; at: number }[] = [];
  const chosen =
    'node' in selection ? (selection.node as { type: { name: string }; attrs: Record<string, unknown> }) : null;
  if (chosen) found.push({ name: chosen.type.name, attrs: chosen.attrs, at: selection.from });
  const { $from } = selection;
  for (let depth = $from.depth; depth > 0; depth--) {
    const node = $from.node(depth);
    found.push({ name: node.type.name, attrs: node.attrs, at: $from.before(depth) });
  }
  return found;
}

/** The repetitions around a place, from the outside in; with the node at the place itself where it repeats. */
export function oversAt(editor: Editor, position: number, within = false): string[] {
  const place = editor.state.doc.resolve(Math.min(position, editor.state.doc.content.size));
  const overs: string[] = [];
  for (let depth = 1; depth <= place.depth; depth++) {
    const { over } = place.node(depth).attrs as { over?: string | null };
    if (over) overs.push(over);
  }
  const own = within ? (editor.state.doc.nodeAt(position)?.attrs as { over?: string | null } | undefined)?.over : null;
  return own ? [...overs, own] : overs;
}
