// prose lets people write with bold, slanted, lists and links without signs to
// learn. What is kept is CommonMark (0.31), of which it knows just these; the rest
// is written as it stands. It is fetched by whoever needs it.

import {
  baseKeymap,
  DOMSerializer,
  EditorState,
  EditorView,
  history,
  keymap,
  redo,
  Schema,
  toggleMark,
  undo,
} from './vendor/prosemirror.js';
import {
  defaultMarkdownSerializer as usual,
  liftListItem,
  MarkdownIt,
  MarkdownParser,
  MarkdownSerializer,
  schema as all,
  splitListItem,
  wrapInList,
} from './vendor/prosemark.js';
import { el } from './paint.js';

const LEADS = /^(https?:\/\/|mailto:)/i;

const only = (spec, names) => names.reduce((out, n) => ({ ...out, [n]: spec.get(n) }), {});
const nodes = only(all.spec.nodes, [
  'doc',
  'paragraph',
  'bullet_list',
  'ordered_list',
  'list_item',
  'text',
  'hard_break',
]);
for (const list of ['bullet_list', 'ordered_list'])
  nodes[list] = { ...nodes[list], attrs: { ...nodes[list].attrs, tight: { default: true } } };
const schema = new Schema({
  nodes,
  marks: only(all.spec.marks, ['em', 'strong', 'link']),
});

const reader = new MarkdownIt('commonmark', { html: false }).disable([
  ...['heading', 'lheading', 'code', 'fence', 'blockquote', 'hr', 'html_block', 'reference'],
  ...['image', 'backticks', 'html_inline', 'entity'],
]);
reader.validateLink = (url) => LEADS.test(url);
const parser = new MarkdownParser(schema, reader, {
  paragraph: { block: 'paragraph' },
  list_item: { block: 'list_item' },
  bullet_list: { block: 'bullet_list' },
  ordered_list: { block: 'ordered_list', getAttrs: (t) => ({ order: +t.attrGet('start') || 1 }) },
  hardbreak: { node: 'hard_break' },
  em: { mark: 'em' },
  strong: { mark: 'strong' },
  link: { mark: 'link', getAttrs: (t) => ({ href: t.attrGet('href') }) },
});
const named = (from, names) => Object.fromEntries(names.map((n) => [n, from[n]]));
// What would be markup or a sign for a letter elsewhere is written as it stands.
const serializer = new MarkdownSerializer(
  named(usual.nodes, ['paragraph', 'bullet_list', 'ordered_list', 'list_item', 'text', 'hard_break']),
  named(usual.marks, ['em', 'strong', 'link']),
  { escapeExtraCharacters: /[<&]/g },
);

const plain = (text) =>
  schema.node(
    'doc',
    null,
    text.split('\n').map((l) => schema.node('paragraph', null, l ? [schema.text(l)] : [])),
  );
const read = (text, rich) => (rich ? parser.parse(text) : plain(text));

// hasForm says whether anything of a text is more than words on lines.
function hasForm(doc) {
  let has = false;
  doc.descendants((n) => {
    has ||= n.marks.length > 0 || n.type === schema.nodes.list_item;
  });
  return has;
}

// shown gives what is to be read of CommonMark.
export function shown(text) {
  const out = DOMSerializer.fromSchema(schema).serializeFragment(parser.parse(text).content);
  for (const a of out.querySelectorAll('a'))
    Object.assign(a, { target: '_blank', rel: 'noopener noreferrer nofollow' });
  return out;
}

const inList = (type) => (state) => {
  const { $from } = state.selection;
  for (let d = $from.depth; d > 0; d--) if ($from.node(d).type === type) return true;
  return false;
};
const has = (mark) => (state) => {
  const { from, to, empty, $from } = state.selection;
  return empty ? !!mark.isInSet(state.storedMarks ?? $from.marks()) : state.doc.rangeHasMark(from, to, mark);
};
const listed = (type) => (state, dispatch) =>
  inList(type)(state) ? liftListItem(schema.nodes.list_item)(state, dispatch) : wrapInList(type)(state, dispatch);
const { strong, em, link } = schema.marks,
  { bullet_list: bullets, ordered_list: numbers, list_item: item } = schema.nodes;
const TOOLS = [
  { sign: 'B', name: 'Bold', look: 'bold', run: toggleMark(strong), on: has(strong) },
  { sign: 'S', name: 'Slanted', look: 'italic', run: toggleMark(em), on: has(em) },
  { sign: '•', name: 'List', look: '', run: listed(bullets), on: inList(bullets) },
  { sign: '1.', name: 'Numbered list, 1.', look: '', run: listed(numbers), on: inList(numbers) },
];

/**
 * dress puts an editor in the place of a field. What is written has a form or has
 * none: field.rich says so, and that the field's value is CommonMark; with `always`
 * it is CommonMark whatever is written.
 * @param {any} field
 * @param {{ always?: boolean }} [how]
 */
export function dress(field, { always = false } = {}) {
  if (field.dressed) return;
  field.dressed = true;
  const label = field.id && document.querySelector(`label[for="${field.id}"]`);
  const box = el('div', { className: 'field prose' }),
    buttons = TOOLS.map((t) =>
      el(
        'button',
        {
          type: 'button',
          className: `button ${t.look}`,
          title: t.name,
          'aria-label': t.name,
          on: { mousedown: (e) => e.preventDefault(), click: () => run(t.run) }, // the words stay chosen
        },
        t.sign,
      ),
    ),
    where = el('input', {
      className: 'field',
      type: 'url',
      placeholder: 'https://…',
      'aria-label': 'Where the link leads',
    }),
    leading = el(
      'div',
      { className: 'prose-link', hidden: true },
      where,
      el('button', { type: 'button', className: 'button', on: { click: () => lead() } }, 'Keep the link'),
    ),
    tools = el(
      'div',
      { className: 'prose-tools', role: 'group', 'aria-label': 'How the words look' },
      ...buttons,
      el('button', { type: 'button', className: 'button', on: { click: () => ask() } }, 'Link'),
    );
  const keys = {
    'Mod-b': toggleMark(strong),
    'Mod-i': toggleMark(em),
    'Mod-z': undo,
    'Mod-y': redo,
    'Mod-Shift-z': redo,
    Enter: splitListItem(item),
  };
  const now = () => read(field.value, always || !!field.rich);
  const stateOf = (doc) => EditorState.create({ doc, plugins: [history(), keymap(keys), keymap(baseKeymap)] });
  let own = false; // the field changes by what is written here
  const view = new EditorView(
    { mount: box },
    {
      state: stateOf(now()),
      attributes: {
        class: 'field prose',
        role: 'textbox',
        'aria-multiline': 'true',
        'aria-label': field.getAttribute('aria-label') ?? label?.firstChild?.textContent.trim() ?? '',
      },
      dispatchTransaction(tr) {
        view.updateState(view.state.apply(tr));
        look();
        if (!tr.docChanged) return;
        field.rich = always || hasForm(view.state.doc);
        field.value = field.rich
          ? serializer.serialize(view.state.doc)
          : view.state.doc.textBetween(0, view.state.doc.content.size, '\n', '\n');
        own = true;
        field.dispatchEvent(new Event('input', { bubbles: true }));
        own = false;
      },
    },
  );
  function look() {
    TOOLS.forEach((t, i) => buttons[i].setAttribute('aria-pressed', String(t.on(view.state))));
  }
  function run(command) {
    command(view.state, view.dispatch, view);
    view.focus();
  }
  function ask() {
    if (has(link)(view.state)) {
      run(toggleMark(link));
      return;
    }
    leading.hidden = !leading.hidden;
    if (!leading.hidden) where.focus();
  }
  function lead() {
    const typed = where.value.trim();
    if (!typed) return;
    const href = LEADS.test(typed) ? typed : /^[^\s@/]+@[^\s@/]+$/.test(typed) ? `mailto:${typed}` : `https://${typed}`;
    const { empty, from } = view.state.selection,
      tr = empty ? view.state.tr.insertText(typed, from) : view.state.tr,
      { to } = view.state.selection;
    view.dispatch(tr.addMark(from, empty ? from + typed.length : to, link.create({ href })).removeStoredMark(link));
    where.value = '';
    leading.hidden = true;
    view.focus();
  }
  where.addEventListener('keydown', (e) => {
    if (e.key !== 'Enter' && e.key !== 'Escape') return;
    e.preventDefault();
    e.stopPropagation();
    if (e.key === 'Enter') lead();
    else {
      leading.hidden = true;
      view.focus();
    }
  });
  // The field's own keys, such as those that keep what is written, work here too.
  box.addEventListener(
    'keydown',
    (e) => {
      if (e.key !== 'Escape' && !(e.key === 'Enter' && (e.ctrlKey || e.metaKey))) return;
      e.preventDefault();
      e.stopImmediatePropagation();
      const { key, ctrlKey, metaKey } = e;
      field.dispatchEvent(new KeyboardEvent('keydown', { key, ctrlKey, metaKey, bubbles: true, cancelable: true }));
    },
    true,
  );
  // What is put into the field from elsewhere is shown.
  const fill = () => {
    if (own) return;
    view.updateState(stateOf(now()));
    look();
  };
  field.addEventListener('input', fill);
  field.addEventListener('refilled', fill);
  label?.addEventListener?.('click', () => view.focus());
  const focused = document.activeElement === field;
  Object.assign(box, { of: field });
  field.focus = () => view.focus();
  field.blur = () => view.dom.blur();
  field.hidden = true;
  field.before(tools, leading, box);
  look();
  if (focused) view.focus();
}
