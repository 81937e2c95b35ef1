// remarks finds ready remarks, and fills in their places.

const MOST = 5; // that are offered at once

// filled is a remark for a student at a question, which may be none.
export const filled = (text, student, q) =>
  text
    .replaceAll('{first name}', student.split(' ')[0])
    .replaceAll('{question}', q ? q.number.replace(/[.)]+$/, '') : 'this question');

// fitting are the remarks of all that what was typed finds by a short key or by
// the beginnings of words, the one last used at this question first.
export function fitting(all, typed, q) {
  const t = typed.trim().toLowerCase(),
    when = (r) => r.used[q?.id ?? ''] ?? '';
  return all
    .filter(
      (r) => !t || (r.short && r.short.toLowerCase().startsWith(t)) || ` ${r.text.toLowerCase()}`.includes(` ${t}`),
    )
    .sort(
      (a, b) =>
        Number(b.short.toLowerCase() === t && !!t) - Number(a.short.toLowerCase() === t && !!t) ||
        when(b).localeCompare(when(a)),
    )
    .slice(0, MOST);
}
