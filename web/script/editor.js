// editor is the box that one types in. ProseMirror keeps its text as a tree of
// lines and of what makes some letters differ from the others; what is read of
// it in the end is how the browser shows it (rich.js). It is fetched after the
// page can be read, since nobody types before.

import {
  baseKeymap,
  closeHistory,
  EditorState,
  EditorView,
  Fragment,
  history,
  keymap,
  Plugin,
  redo,
  Schema,
  Slice,
  TextSelection,
  undo,
} from './vendor/prosemirror.js';

// styled is a property in which letters differ from the rest of their box. It
// has no parseDOM: the look of what is pasted stays behind.
const styled = (css) => ({ attrs: { value: {} }, toDOM: (m) => ['span', { style: css(m.attrs.value) }, 0] });

const schema = new Schema({
  nodes: {
    doc: { content: 'line+' },
    line: { content: 'text*', toDOM: () => ['p', 0], parseDOM: [{ tag: 'p' }, { tag: 'div' }] },
    text: {},
  },
  marks: {
    shift: { attrs: { value: {} }, toDOM: (m) => [m.attrs.value > 0 ? 'sup' : 'sub', 0] },
    under: { attrs: { value: {} }, toDOM: (m) => [m.attrs.value ? 'u' : 'span', 0] },
    size: styled((ratio) => `font-size: ${ratio}em`),
    color: styled((color) => `color: ${color}`),
    font: styled((font) => `font-family: var(--font-${font || 'text'})`),
    bold: styled((on) => `font-weight: ${on ? 700 : 400}`),
    italic: styled((on) => `font-style: ${on ? 'italic' : 'normal'}`),
  },
});

// written gives the tree of lines of runs, in a box of the plain look `of`.
function written(lines, of) {
  const letters = (r) =>
    schema.text(r.text, [
      ...(r.shift ? [schema.marks.shift.create({ value: r.shift })] : []),
      ...(r.size !== of.size ? [schema.marks.size.create({ value: r.size / of.size })] : []),
      ...(r.color !== of.color ? [schema.marks.color.create({ value: r.color })] : []),
      ...((r.font ?? '') !== (of.font ?? '') ? [schema.marks.font.create({ value: r.font ?? '' })] : []),
      ...['bold', 'italic', 'under']
        .filter((k) => !!r[k] !== !!of[k])
        .map((k) => schema.marks[k].create({ value: !!r[k] })),
    ]);
  const line = (runs) =>
    schema.node(
      'line',
      null,
      runs.filter((r) => r.text).map((r) => letters(r)),
    );
  return schema.node('doc', null, lines.map(line));
}

/**
 * edit begins typing in a box.
 * @param {HTMLElement} box
 * @param {{ lines: any[][], of: any, most?: number, single?: boolean, onward?: () => void, changed: () => void, selected: () => void, full: () => void }} options
 *   lines has the runs of what stands there already, of is the look of plain
 *   text, which may be changed meanwhile; most is how many letters there is room for, full is
 *   called when there is not, single is said of a place of one line, and
 *   onward is where Enter goes from there: a screen's keyboard tells of it in its own way.
 */
export function edit(box, { lines, of, most, single, onward, changed, selected, full }) {
  // What comes from elsewhere is words alone, whatever it looked like there.
  const put = (view, text) => {
    const all = text.split(/\r\n?|\n/),
      rows = single ? [all.filter(Boolean).join(' ')] : all;
    const nodes = rows.map((l) =>
      schema.node('line', null, l ? [schema.text(l, view.state.selection.$from.marks())] : []),
    );
    const { tr } = view.state;
    view.dispatch(closeHistory(tr.replaceSelection(new Slice(Fragment.from(nodes), 1, 1)).scrollIntoView()));
    return true;
  };
  const room = new Plugin({
    filterTransaction(tr, state) {
      const now = tr.doc.textContent.length;
      if (!most || !tr.docChanged || now <= most || now <= state.doc.textContent.length) return true;
      full();
      return false;
    },
  });
  const turn = (name) => () => toggle(view, name, of);
  const asked = {
    historyUndo: () => undo(view.state, view.dispatch),
    historyRedo: () => redo(view.state, view.dispatch),
    formatBold: turn('bold'),
    formatItalic: turn('italic'),
    formatUnderline: turn('under'),
  };
  const view = new EditorView(
    { mount: box },
    {
      state: EditorState.create({
        doc: written(lines, of),
        plugins: [
          history(),
          keymap({
            'Mod-z': undo,
            'Mod-y': redo,
            'Shift-Mod-z': redo,
            'Mod-b': asked.formatBold,
            'Mod-i': asked.formatItalic,
            'Mod-u': asked.formatUnderline,
            ...(single ? { Enter: () => (onward?.(), true) } : {}),
            'Shift-Enter': baseKeymap.Enter,
          }),
          keymap(baseKeymap),
          room,
        ],
      }),
      handlePaste: (_, e) => put(view, e.clipboardData?.getData('text/plain') ?? ''),
      handleDrop(_, e, slice, moved) {
        if (moved) return false; // within the box
        const at = view.posAtCoords({ left: e.clientX, top: e.clientY });
        if (at) view.dispatch(view.state.tr.setSelection(TextSelection.create(view.state.doc, at.pos)));
        return put(view, e.dataTransfer?.getData('text/plain') ?? '');
      },
      handleDOMEvents: {
        beforeinput(_, e) {
          if (!asked[e.inputType]) return false;
          e.preventDefault();
          asked[e.inputType]();
          return true;
        },
      },
      dispatchTransaction(tr) {
        view.updateState(view.state.apply(tr));
        if (tr.docChanged) changed();
        else if (tr.selectionSet || tr.storedMarksSet) selected();
      },
    },
  );
  view.dispatch(view.state.tr.setSelection(TextSelection.atEnd(view.state.doc)));
  view.focus();
  return { ...handle(view, of), put: (text) => put(view, text) }; // put writes as one step of undo
}

// each calls f with every piece of text that the selection has a part of.
function each(state, f) {
  const { from, to } = state.selection;
  state.doc.nodesBetween(from, to, (node) => {
    if (node.isText) f(node);
  });
}

// turned gives what a property of the selection is turned to: on, unless all
// of it is on.
function turned(state, name, of) {
  const on = (marks) => schema.marks[name].isInSet(marks)?.attrs.value ?? !!of[name];
  if (state.selection.empty) return !on(state.storedMarks ?? state.selection.$from.marks());
  let all = true;
  each(state, (node) => {
    all &&= on(node.marks);
  });
  return !all;
}

// style gives what is selected, or is typed next, a property; what is as in
// plain text has none.
function style(view, name, value, plain) {
  const { tr, selection } = view.state,
    type = schema.marks[name],
    { from, to, empty } = selection;
  if (value === plain) view.dispatch(empty ? tr.removeStoredMark(type) : tr.removeMark(from, to, type));
  else {
    const mark = type.create({ value });
    view.dispatch(empty ? tr.addStoredMark(mark) : tr.addMark(from, to, mark));
  }
  return true;
}

const toggle = (view, name, of) => style(view, name, turned(view.state, name, of), !!of[name]);

const handle = (view, of) => ({
  focus: () => view.focus(),
  close: () => view.destroy(),
  // isPlain says whether it is one line of letters that all look the same.
  isPlain: () =>
    view.state.doc.childCount === 1 && view.state.doc.firstChild.childCount < 2 && !differs(view.state.doc),
  // largest gives the size of the largest letters, in those of plain ones.
  largest() {
    let ratio = 1;
    view.state.doc.descendants((node) => {
      ratio = Math.max(ratio, schema.marks.size.isInSet(node.marks)?.attrs.value ?? 1);
    });
    return ratio;
  },
  // look gives in what the letters that are selected, or are typed next, differ
  // from plain ones.
  look() {
    const { selection, storedMarks } = view.state;
    let marks = storedMarks ?? selection.$from.marks();
    if (!selection.empty) {
      marks = null;
      each(view.state, (node) => (marks ??= node.marks));
    }
    const out = {};
    for (const m of marks ?? [])
      if (m.type.name === 'size') out.size = Math.round(of.size * m.attrs.value * 10) / 10;
      else if (m.type.name !== 'shift') out[m.type.name] = m.attrs.value;
    return out;
  },
  // dress changes the look of what is selected, if anything is.
  dress(change) {
    if (view.state.selection.empty) return false;
    for (const name of ['bold', 'italic', 'under']) if (name in change) toggle(view, name, of);
    if (change.color) style(view, 'color', change.color, of.color);
    if (change.size) style(view, 'size', change.size / of.size, 1);
    if ('font' in change) style(view, 'font', change.font, of.font ?? '');
    return true;
  },
  letters: () => view.state.doc.textContent.length + view.state.doc.childCount - 1,
  atEnd: () => view.state.selection.empty && view.state.selection.from === view.state.doc.content.size - 1,
  toEnd: () => view.dispatch(view.state.tr.setSelection(TextSelection.atEnd(view.state.doc))),
  // cut takes so many letters off the end, or, with 0, the last word, and gives
  // them; the end of a line counts as one.
  cut(letters) {
    let cut = '';
    do {
      const { doc, tr } = view.state,
        end = doc.content.size - 1,
        last = doc.lastChild.textContent;
      if (!last && doc.childCount < 2) break;
      const n = last ? (letters ? 1 : last.match(/\S*\s*$/)[0].length) : 0;
      cut = (last ? last.slice(last.length - n) : '\n') + cut;
      view.dispatch(tr.delete(last ? end - n : end - 2, end).setMeta('addToHistory', false));
    } while (cut.length < letters);
    return cut;
  },
  // append puts words behind all others, and leaves the caret where it is.
  append(text) {
    const nodes = text.split('\n').map((l) => schema.node('line', null, l ? [schema.text(l)] : [])),
      { state } = view,
      end = state.doc.content.size - 1,
      tr = state.tr.replace(end, end, new Slice(Fragment.from(nodes), 1, 1));
    if (state.selection.to <= end)
      tr.setSelection(TextSelection.create(tr.doc, state.selection.from, state.selection.to));
    view.dispatch(tr.setMeta('addToHistory', false));
  },
  insert: (sign) => view.dispatch(view.state.tr.insertText(sign).scrollIntoView()),
  // shift raises or lowers what is selected or typed next; the same again sets
  // it back on the line.
  shift(way) {
    const { selection, storedMarks } = view.state,
      marks = storedMarks ?? (selection.empty ? selection.$from.marks() : selection.$from.marksAcross(selection.$to));
    style(view, 'shift', schema.marks.shift.isInSet(marks ?? [])?.attrs.value === way ? 0 : way, 0);
  },
  // before gives what stands on the line before the caret, unless letters are
  // raised or lowered just there.
  before() {
    const { empty, $from } = view.state.selection;
    return empty && !schema.marks.shift.isInSet($from.marks()) ? $from.parent.textBetween(0, $from.parentOffset) : '';
  },
  // raise shifts letters before the caret, all but those behind them, and takes
  // out as many before them as only asked for it.
  raise(way, letters, asking, behind) {
    const { tr, selection } = view.state,
      end = selection.from - asking - behind;
    if (asking) tr.delete(end - letters, end - letters + asking);
    tr.addMark(end - letters, end, schema.marks.shift.create({ value: way }));
    view.dispatch(tr.removeStoredMark(schema.marks.shift)); // what follows stands on the line again
  },
  caret: () => view.coordsAtPos(view.state.selection.from),
});

function differs(doc) {
  let some = false;
  doc.descendants((node) => {
    some ||= node.marks.length > 0;
  });
  return some;
}
