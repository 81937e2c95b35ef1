// desk has everything of the sheet screen that may come a moment after the
// page itself: the marks on the copy, the instruments on the rule, the margin.

import { core } from './core.js';
import { keep, look, settings } from './settings.js';
import { el, icon } from './paint.js';
import { fit, lay, surface } from './surface.js';
import { load, marks, readyForHits, refresh, take } from './marks.js';
import * as queue from './queue.js';
import * as offline from './offline.js';
import * as practice from './practice.js';
import './draw.js';
import './shapes.js';
import './mend.js';
import './pictures.js';
import './moving.js';
import './pointing.js';
import './selected.js';
import * as aids from './aids.js';
import * as say from './say.js';
import * as blanks from './blanks.js';
import * as spine from './spine.js';
import * as margin from './margin.js';
import * as pagenav from './pagenav.js';
import { finish, load as loadTyping, place } from './type.js';
import * as student from './student.js';
import * as written from './written.js';
import * as teacher from './marking.js';
import * as drafts from './drafts.js';
import * as takeaway from './takeaway.js';
import * as papers from './papers.js';
import * as leads from './leads.js';
import * as inwords from './inwords.js';
import './aloud.js';
import './dictate.js';
import { instruments } from './pointer.js';
import { ask } from './net.js';
import { toast } from './toast.js';
import { tell } from './told.js';
import './keys.js';
import './window.js';

// What tests call as the screen itself does: the sheet's entry hands it on.
export { again } from './rich.js';
export { wish } from './raised.js';
export { add } from './marks.js';
export { surface };

const screen = document.querySelector('[data-screen]');

marks.onChange = () => {
  papers.follow();
  margin.gather();
  margin.count();
  pagenav.count();
  practice.show();
  inwords.soon();
};
blanks.whenBegun(() => {
  papers.follow();
  leads.show();
  inwords.begin(marks.view);
});
blanks.whenCounted(margin.count);
surface.onMove = () => {
  margin.arrange();
  papers.lead();
  place();
};
surface.onPage = (s) => pagenav.current(s);

// begins takes the screen over from sheet.js, which has laid the pages.
export async function begins(view) {
  if (view.teacher) {
    teacher.marking.open = change;
    teacher.begin();
  } else student.begin();
  takeaway.begin();
  pagenav.build();
  await show(offline.fromDevice ? ((await queue.remembered(view.person, view.copy)) ?? view) : view);
  performance.mark('shown');
  const typing = loadTyping().catch(() => {}); // which is tried again when somebody types
  await core.load();
  readyForHits();
  for (const s of surface.sheets)
    if (s.near && s.fetched) {
      s.fetched.then(() => margin.gather());
    }
  papers.follow();
  margin.gather();
  practice.show();
  performance.mark('ready');
  await typing;
  screen.dataset.ready = 'yes';
  inwords.first();
  offline.keep(view);
  offline.note();
  if (!view.teacher) student.takeHanded();
  const note = location.hash.match(/^#note-(.+)$/)?.[1]; // that a link leads to
  if (note) await lead(note);
}

// lead shows a note that a link leads to; one on what was returned stands with the attempt
// that it is about.
async function lead(note) {
  while (!margin.show(note) && marks.view.teacher && marks.view.attempt > 1)
    if (!(await teacher.go(marks.view.copy, marks.view.attempt - 1, false))) return;
}

// change shows another view of this copy, or another copy.
async function change(view) {
  finish();
  instruments.note.leave();
  const same = JSON.stringify(view.pages) === JSON.stringify(marks.view?.pages) && view.sheet === marks.view.sheet;
  if (!same) {
    lay(view);
    pagenav.build();
    aids.lost();
  }
  await show(view);
}

// known tells the queue what is here already of the copy.
async function known(view) {
  await queue.begin(view.person, view.copy, view.edit, view.watch ? view.said : view.seq, view.teacher);
  if (view.watch) queue.heard(followed(view), view.asked ? view.said : view.seq);
  said = view.said ?? 0;
}

let whose = ''; // copy is open
async function show(view) {
  marks.view = view;
  Object.assign(marks.mode, { own: false, helper: '' });
  say.band();
  spine.build(view);
  await Promise.all([known(view), drafts.begin(view.person, `copy/${view.copy}`, view.drafts)]);
  await load(view, offline.fromDevice && !online);
  queue.start();
  blanks.begin(view);
  (view.teacher ? teacher : student).draw(view);
  if (view.teacher && view.student !== whose) {
    document.title = `${view.student}: ${view.title} · Ready Margin`;
    if (whose) tell(`The copy of ${view.student} is open.`);
    whose = view.student;
  }
  pagenav.current(surface.sheets[0]);
  const newest = view.marks
    .filter((m) => m.layer === view.edit)
    .map((m) => m.at)
    .sort()
    .at(-1);
  queue.savedSince(newest ? new Date(newest) : new Date());
  if (view.edit) instruments.note.again();
  if (view.say || view.edit) instruments.voice.again();
  follow(view);
}

document.querySelector('[data-do="plain"]').addEventListener('click', () => {
  settings.plain = !settings.plain;
  keep();
  look();
  fit('width');
});
document.querySelector('[data-do="margin"]').addEventListener('click', () => screen.classList.toggle('notes-open'));

// follow hears when the copy changes elsewhere, and fetches what is new.
let source = null;
function follow(view) {
  source?.close();
  if (view.trial || view.past || (!view.edit && view.teacher && !view.asked)) return;
  const layer = followed(view);
  source = new EventSource(
    `/copies/${view.copy}/feed?layer=${layer}&seq=${view.asked ? view.said : view.seq}&said=${view.said ?? 0}`,
  );
  source.addEventListener('news', async (e) => {
    const news = JSON.parse(e.data);
    student.watched(news.watchers ?? []);
    if (news.moved && view.watch) {
      await teacher.landed();
      return;
    }
    if (news.moved && !view.teacher && !(await moved(news))) return;
    newest = { layer, seq: news.seq, said: news.said };
    catchUp();
  });
  const mine = source; // which the browser opens again after a break, but not after a refusal
  mine.addEventListener('error', () => {
    if (mine.readyState === EventSource.CLOSED)
      setTimeout(() => {
        if (source === mine) follow({ ...view, seq: queue.known(layer) });
      }, 5000);
  });
}

// catchUp fetches what others did, as soon as nothing waits here and nobody
// types: what is in the hand is not taken out of it.
let newest = null,
  said = 0, // the newest of what both sides say at once that is here
  timer = 0;
const followed = (view) => (view.asked ? 'replies' : view.watch ? 'work' : view.edit || 'work');
async function catchUp() {
  clearTimeout(timer);
  const { view } = marks;
  const more = (newest.said ?? 0) > said;
  if ((newest.seq <= queue.known(newest.layer) && !more) || newest.layer !== followed(view)) return;
  if (queue.busy() || document.querySelector('.typing, .live')) {
    timer = setTimeout(catchUp, 400);
    return;
  }
  const after = queue.known(newest.layer);
  const changes =
    followed(view) === 'work' && view.edit && !more
      ? await ask(`/copies/${view.copy}/changes?after=${after}`).catch(() => null)
      : null;
  if (view.copy !== marks.view.copy) return;
  if (view !== marks.view || after !== queue.known(newest.layer) || queue.busy()) {
    catchUp(); // somebody was faster
    return;
  }
  if (changes && !changes.all) {
    queue.heard('work', changes.seq);
    take(changes);
    return;
  }
  const fresh = await ask(
    view.watch
      ? `/copies/${view.copy}/${view.asked ? 'asked' : 'watch'}`
      : view.teacher
        ? `/copies/${view.copy}/marking?attempt=${view.attempt}`
        : `/copies/${view.copy}/view`,
  ).catch(() => null);
  if (!fresh || fresh.copy !== marks.view.copy) return;
  await known(fresh);
  await refresh(fresh);
}

// moved hears that the copy's state has moved, and says whether it is worked on
// as before: whatever takes the copy out of the hand shows it anew.
const working = (state) => ['not started', 'in progress', 'reworking'].includes(state);
async function moved(news) {
  if (news.state === 'submitted' && marks.view.state === 'submitted') return false;
  if (working(news.state) && working(marks.view.state)) {
    if (news.returned) announce('New feedback has come for this copy.', 'See the feedback');
    if (news.state !== marks.view.state) student.moved(news.state).catch(() => {});
    return true;
  }
  announce(...(NEWS[news.state] ?? ['This copy stands otherwise now.', 'Show it']));
  return false;
}

// NEWS says what has happened to a copy elsewhere, and what shows it.
const NEWS = {
  returned: ['Your teacher has returned this copy.', 'See the feedback'],
  submitted: ['This copy was submitted elsewhere. What you add now waits for the next attempt.', 'Show it'],
  reworking: ['This copy can be improved now.', 'Go on with it'],
  'in progress': ['This copy was taken back elsewhere.', 'Go on with it'],
};

// announce says that the copy stands otherwise now, and shows that when it is pressed:
// nothing moves under the hands.
function announce(words, press) {
  document.querySelector('[data-news]')?.remove();
  const go = async () => {
    finish();
    await queue.drained().catch((e) => toast(e.message));
    if (!queue.busy()) location.reload();
  };
  document
    .querySelector('[data-desk]')
    .before(
      el(
        'div',
        { className: 'mode news', role: 'status', data: { news: '' } },
        icon('note'),
        el('span', {}, words),
        el('button', { className: 'button dark', on: { click: go } }, press),
      ),
    );
}
window.addEventListener('pagehide', () => source?.close());
// What was opened from this device is compared with the server as soon as
// there is a connection and nothing waits.
let online = !offline.fromDevice;
async function meet() {
  if (online || queue.busy() || marks.view.past) return;
  const fresh = await ask(`/copies/${marks.view.copy}/view`).catch(() => null);
  if (!fresh || queue.busy()) return;
  online = true;
  if (fresh.state !== marks.view.state && !working(fresh.state)) {
    announce(...NEWS[fresh.state]);
    return;
  }
  finish();
  await show(fresh);
}
window.addEventListener('online', () => setTimeout(meet, 400));
if (!online) setInterval(meet, 5000);

drafts.events.onHeld = (held) => queue.hold('drafts', held);
queue.events.onTried = written.soon;
queue.events.onBehind = (layer, seq) => {
  newest = { layer, seq };
  catchUp();
};
queue.events.onNoStore = () =>
  toast(
    'This browser keeps nothing on this device. Your work is saved as long as there is a connection; stay on this page until it says “Saved”.',
  );
queue.events.onSaved = (answer) => {
  offline.note();
  meet();
  if (!marks.view.teacher && answer.state !== marks.view.state && ['in progress', 'reworking'].includes(answer.state)) {
    student.moved(answer.state).catch(() => {});
  }
};
queue.events.onOlder = async (view) => {
  await known(view);
  await refresh(view);
};
