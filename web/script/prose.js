// prose lets people write instructions with bold, slanted, lists and links without
// signs to learn. What is kept is the CommonMark that stood there before; where a
// field's text has more of it than this knows, it is written as it is.

const inline = (text) =>
  text
    .replace(/&/g, '&amp;')
    .replace(/</g, '&lt;')
    .replace(/"/g, '&quot;')
    .replace(/\\([\\*_[\]()#+.!`>-])/g, (_, c) => `&#${c.charCodeAt(0)};`)
    .replace(/\[([^\]]+)\]\((https?:\/\/[^\s)]+|mailto:[^\s)]+)\)/g, '<a href="$2">$1</a>')
    .replace(/\*\*(.+?)\*\*/g, '<strong>$1</strong>')
    .replace(/\*(.+?)\*/g, '<em>$1</em>');

// read makes markup of CommonMark.
export function read(text) {
  const out = [];
  for (const block of text.replace(/\r/g, '').split(/\n{2,}/)) {
    const lines = block.split('\n').filter((l) => l.trim());
    let list = '';
    let open = [];
    const close = () => {
      if (open.length) out.push(list ? `<${list}>${open.join('')}</${list}>` : `<p>${open.join('<br>')}</p>`);
      open = [];
    };
    for (const l of lines) {
      const m = l.match(/^\s*(?:([-*+])|\d+[.)])\s+(.*)$/),
        kind = m ? (m[1] ? 'ul' : 'ol') : '';
      if (kind !== list) close();
      list = kind;
      open.push(m ? `<li>${inline(m[2])}</li>` : inline(l));
    }
    close();
  }
  return out.join('');
}

const escaped = (text) => text.replace(/([\\*_[\]`])/g, '\\$1').replace(/^(\s*)([-+#>]|\d+[.)])(\s)/, '$1\\$2$3');

// within gives what stands in a node, as CommonMark of one paragraph.
function within(n) {
  let out = '';
  for (const c of n.childNodes) {
    if (c.nodeType === Node.TEXT_NODE) out += escaped(c.data.replace(/[\s\u00a0]+/g, ' '));
    else if (c.nodeName === 'BR') out += '  \n';
    else {
      const text = within(c),
        [, before, core, after] = text.match(/^(\s*)([\s\S]*?)(\s*)$/);
      const bold = /^(B|STRONG)$/.test(c.nodeName) || +c.style?.fontWeight > 500 || c.style?.fontWeight === 'bold',
        slanted = /^(I|EM)$/.test(c.nodeName) || c.style?.fontStyle === 'italic';
      if (!core) out += text;
      else if (c.nodeName === 'A' && /^(https?|mailto):/.test(c.getAttribute('href') ?? ''))
        out += `${before}[${core}](${c.getAttribute('href')})${after}`;
      else if (bold && slanted) out += `${before}***${core}***${after}`;
      else if (bold) out += `${before}**${core}**${after}`;
      else if (slanted) out += `${before}*${core}*${after}`;
      else out += text;
    }
  }
  return out;
}

// write makes CommonMark of what stands in a box.
export function write(box) {
  const out = [];
  let loose = null;
  for (const n of box.childNodes) {
    if (/^(UL|OL)$/.test(n.nodeName)) {
      loose = null;
      out.push(
        [...n.querySelectorAll('li')]
          .map((li, i) => `${n.nodeName === 'UL' ? '-' : `${i + 1}.`} ${within(li).trim()}`)
          .join('\n'),
      );
    } else if (/^(P|DIV|H[1-6]|BLOCKQUOTE)$/.test(n.nodeName)) {
      loose = null;
      if (n.querySelector('ul,ol')) out.push(write(n));
      else out.push(within(n).trim());
    } else {
      loose ??= out.push('') - 1;
      const one = document.createElement('p');
      one.append(n.cloneNode(true));
      out[loose] += within(one);
    }
  }
  return out
    .map((b) => b.trim())
    .filter(Boolean)
    .join('\n\n');
}

const TOOLS = [
  ['bold', 'B', 'Bold'],
  ['italic', 'S', 'Slanted'],
  ['insertUnorderedList', '•', 'List'],
  ['insertOrderedList', '1.', 'Numbered list, 1.'],
  ['createLink', 'Link', 'Link'],
];

// dress puts an editor in the place of a field.
function dress(field) {
  const box = document.createElement('div'),
    tools = document.createElement('div'),
    label = document.querySelector(`label[for="${field.id}"]`);
  Object.assign(box, { className: 'field prose rich', contentEditable: 'true' });
  box.setAttribute('role', 'textbox');
  box.setAttribute('aria-multiline', 'true');
  box.setAttribute('aria-label', label?.firstChild?.textContent.trim() ?? '');
  tools.className = 'prose-tools';
  tools.setAttribute('role', 'group');
  tools.setAttribute('aria-label', 'How the words look');
  for (const [command, sign, name] of TOOLS) {
    const b = document.createElement('button');
    Object.assign(b, { type: 'button', className: `button ${command}`, textContent: sign, title: name });
    b.setAttribute('aria-label', name);
    b.addEventListener('mousedown', (e) => e.preventDefault()); // the words stay chosen
    b.addEventListener('click', () => {
      box.focus();
      let value = '';
      if (command === 'createLink') {
        value = (window.prompt('Where does it lead? (https://…)') ?? '').trim();
        if (!/^(https?:\/\/|mailto:)/.test(value)) return;
      }
      document.execCommand(command, false, value);
      keep();
    });
    tools.append(b);
  }
  let kept = field.value;
  const keep = () => {
    kept = write(box);
    if (field.value === kept) return;
    field.value = kept;
    field.dispatchEvent(new Event('input', { bubbles: true }));
  };
  const show = () => {
    if (field.value === kept && box.childNodes.length) return;
    kept = field.value;
    box.innerHTML = read(field.value);
  };
  document.execCommand('defaultParagraphSeparator', false, 'p');
  box.addEventListener('input', keep);
  box.addEventListener('paste', (e) => {
    e.preventDefault(); // words alone, whatever they looked like there
    document.execCommand('insertText', false, e.clipboardData.getData('text/plain'));
  });
  label?.addEventListener('click', () => box.focus());
  show();
  field.hidden = true;
  field.before(tools, box);
  // A draft that comes back, or is dropped, is written into the field.
  setInterval(show, 700);
}

for (const field of document.querySelectorAll('textarea[data-prose]')) dress(field);
