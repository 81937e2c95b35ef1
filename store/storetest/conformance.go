package storetest

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"reflect"
	"slices"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"readymargin/core/access"
	"readymargin/core/answer"
	"readymargin/core/points"
	"readymargin/core/submission"
	"readymargin/school"
)

// Conforms tests a store. Every part has a class of its own; open returns the
// same store again and again, or another one on the same database.
func Conforms(t *testing.T, open func(*testing.T) Store) {
	for _, part := range []struct {
		name string
		test func(*check)
	}{
		{"people", people}, {"tokens", tokens}, {"tries", allowances}, {"members", members}, {"changes come one after another", changes}, {"worksheets", worksheets}, {"word lists", wordLists}, {"transcripts", transcripts}, {"scans", scans},
		{"copies", copies}, {"operations in any order", operations}, {"attempts", attempts}, {"drafts", drafts}, {"blobs", blobs}, {"jobs", jobs}, {"questions", questions}, {"hearings", hearings}, {"lines and mail", told}, {"deleting", deleting},
	} {
		t.Run(part.name, func(t *testing.T) {
			ctx, cancel := context.WithTimeout(t.Context(), time.Minute)
			defer cancel()
			part.test(&check{t, ctx, open(t), time.Now().UTC().Truncate(time.Microsecond)})
		})
	}
}

type check struct {
	*testing.T
	ctx context.Context
	Store
	now time.Time
}

func (c *check) must(err error) {
	c.Helper()
	if err != nil {
		c.Fatal(err)
	}
}

// is checks an error against what it must be; nil for none.
func (c *check) is(what string, err, want error) {
	c.Helper()
	if !errors.Is(err, want) || want == nil && err != nil {
		c.Errorf("%s: %v, want %v", what, err, want)
	}
}

func (c *check) class(name string, students, assignments int) Class {
	c.Helper()
	out, err := NewClass(c.ctx, c.Store, name, students, assignments)
	c.must(err)
	return out
}

func must[T any](v T, err error) T {
	if err != nil {
		panic(err)
	}
	return v
}

func people(c *check) {
	add := func(login string) school.Person {
		p := school.Person{Name: login, Login: login, Settings: "{}", CreatedAt: c.now}
		c.must(c.AddPerson(c.ctx, &p))
		return p
	}
	first, second := add("rosa.quick"), add("rosa.quick")
	if second.Login != "rosa.quick2" {
		c.Errorf("a login that is in use became %q", second.Login)
	}
	got, err := c.PersonByLogin(c.ctx, "rosa.quick")
	if err != nil || got != first {
		c.Errorf("by login: %+v (%v), want %+v", got, err, first)
	}
	_, err = c.PersonByLogin(c.ctx, "nobody.here")
	c.is("nobody", err, school.ErrNotFound)
	c.must(c.SetSettings(c.ctx, first.ID, `{"left":true}`))
	if got, _ := c.Person(c.ctx, first.ID); got.Settings != `{"left":true}` {
		c.Errorf("settings are %s", got.Settings)
	}
	if used := must(c.Logins(c.ctx, []string{"rosa.quick", "rosa.slow"})); !used["rosa.quick"] || len(used) != 1 {
		c.Errorf("in use are %v", used)
	}
}

func tokens(c *check) {
	class := c.class("tokens", 1, 0)
	for _, token := range []school.SignInToken{
		{TokenHash: "good", PersonID: class.Students[0].ID, ExpiresAt: c.now.Add(time.Hour)},
		{TokenHash: "invitation", ExpiresAt: c.now.Add(time.Hour)},
		{TokenHash: "late", PersonID: class.Students[0].ID, ExpiresAt: c.now.Add(-time.Second)},
	} {
		c.must(c.AddSignInToken(c.ctx, token))
	}
	if got, err := c.UseSignInToken(c.ctx, "invitation", c.now); err != nil || got.PersonID != 0 {
		c.Errorf("an invitation: %+v (%v)", got, err)
	}
	_, err := c.UseSignInToken(c.ctx, "late", c.now)
	c.is("a token that has expired", err, school.ErrNotFound)
	var used atomic.Int32
	var all sync.WaitGroup
	for range 8 {
		all.Go(func() {
			if _, err := c.UseSignInToken(c.ctx, "good", c.now); err == nil {
				used.Add(1)
			} else if !errors.Is(err, school.ErrNotFound) {
				c.Error(err)
			}
		})
	}
	all.Wait()
	if used.Load() != 1 {
		c.Errorf("a token was used %d times", used.Load())
	}
}

func allowances(c *check) {
	pace := school.Pace{Burst: 3, Every: time.Second}
	for i, want := range []time.Duration{0, 0, 0, time.Second, time.Second} {
		if wait := must(c.Allow(c.ctx, "somebody", pace, c.now)); wait != want {
			c.Errorf("try %d waits %v, want %v", i, wait, want)
		}
	}
	c.must(c.GiveBack(c.ctx, "somebody", pace))
	if wait := must(c.Allow(c.ctx, "somebody", pace, c.now)); wait != 0 {
		c.Errorf("what was given back cannot be taken: %v", wait)
	}
	if wait := must(c.Allow(c.ctx, "somebody", pace, c.now.Add(time.Second))); wait != 0 {
		c.Errorf("a second later one waits %v", wait)
	}
}

func members(c *check) {
	class := c.class("members", 2, 1)
	if m := must(c.Membership(c.ctx, class.Course.ID, class.Teacher.ID)); m.Role != access.Teacher {
		c.Errorf("who made it is %q", m.Role)
	}
	other := c.class("members-other", 0, 0)
	if m := must(c.Membership(c.ctx, class.Course.ID, other.Teacher.ID)); m.Role != access.None || !m.JoinedAt.IsZero() {
		c.Errorf("a stranger is %+v", m)
	}
	if all := must(c.Members(c.ctx, class.Course.ID)); len(all) != 3 || all[0].Name != "members Student 0" {
		c.Errorf("members: %+v", all)
	}
	c.must(c.SetMembership(c.ctx, school.Membership{CourseID: class.Course.ID, PersonID: class.Students[0].ID, Role: access.Left, JoinedAt: c.now}))
	if in := must(c.CoursesOf(c.ctx, class.Students[0].ID)); len(in) != 0 {
		c.Errorf("who left is in %+v", in)
	}
	err := c.SetMembership(c.ctx, school.Membership{CourseID: class.Course.ID, PersonID: class.Students[1].ID, Role: "king", JoinedAt: c.now})
	if err == nil {
		c.Error("a role that there is not was kept")
	}
}

func changes(c *check) {
	class := c.class("changes", 0, 1)
	var all sync.WaitGroup
	for range 10 {
		all.Go(func() {
			_, err := c.ChangeCourse(c.ctx, class.Course.ID, func(k *school.Course) error { k.VoiceSeconds++; return nil })
			c.is("a course", err, nil)
			_, err = c.ChangeAssignment(c.ctx, class.Assignments[0].ID, func(a *school.Assignment) error { a.MaxAttempts++; return nil })
			c.is("an assignment", err, nil)
			c.is("a worksheet", c.ChangeWorksheet(c.ctx, class.Worksheet.ID, func(w *school.Worksheet) error { w.Version++; return nil }, nil), nil)
		})
	}
	all.Wait()
	k, a, w := must(c.CourseFor(c.ctx, class.Course.ID, class.Teacher.ID)), must(c.Assignment(c.ctx, class.Assignments[0].ID)), must(c.Worksheet(c.ctx, class.Worksheet.ID))
	if stranger := must(c.CourseFor(c.ctx, class.Course.ID, class.Teacher.ID+1_000_000)); k.Role != access.Teacher || stranger.Role != access.None || stranger.Name != k.Name {
		c.Errorf("the teacher is %q there, and nobody is %q", k.Role, stranger.Role)
	}
	if k.VoiceSeconds != 70 || k.Version != 11 || a.MaxAttempts != 10 || a.Version != 11 || w.Version != 11 || len(a.Handouts) != 1 {
		c.Errorf("of ten changes each came %d, %d and %d", k.VoiceSeconds-60, a.MaxAttempts, w.Version-1)
	}
	refused := errors.New("no")
	_, err := c.ChangeCourse(c.ctx, class.Course.ID, func(k *school.Course) error { k.Name = "lost"; return refused })
	c.is("a change that was refused", err, refused)
	if k := must(c.CourseFor(c.ctx, class.Course.ID, class.Teacher.ID)); k.Name != "changes" {
		c.Errorf("a change that was refused was kept: %q", k.Name)
	}
}

// wordLists: what words mean in a course, and what was looked up, with nobody's name.
func wordLists(c *check) {
	class := c.class("wordlists", 2, 1)
	course := class.Course.ID
	for _, w := range [][2]string{{"sill", "a step"}, {"neap", "small"}, {"Sill", "a step under water"}, {"gone", "soon"}, {"gone", ""}} {
		c.must(c.SetCourseWord(c.ctx, course, w[0], w[1]))
	}
	if got := must(c.CourseWords(c.ctx, course)); len(got) != 2 || got[0].Word != "neap" || got[1].Word != "Sill" || got[1].Means != "a step under water" {
		c.Errorf("the words of a course are %+v", got)
	}
	copies := []school.Copy{must(class.Copy(c.ctx, c.Store, 0, 0)), must(class.Copy(c.ctx, c.Store, 0, 1))}
	for i, word := range []string{"dry", "sill", "dry"} {
		c.must(c.LookUp(c.ctx, copies[0].ID, class.Students[0].ID, word, c.now.Add(time.Duration(i)*time.Second)))
	}
	c.must(c.LookUp(c.ctx, copies[1].ID, class.Students[1].ID, "dry", c.now))
	own := must(c.LookedUp(c.ctx, course, class.Students[0].ID))
	if len(own) != 2 || own[0].Word != "dry" || own[0].Times != 2 || own[0].CopyID != copies[0].ID || own[0].Title != class.Assignments[0].Title || own[1].Word != "sill" {
		c.Errorf("a student has looked up %+v", own)
	}
	if most := must(c.MostLookedUp(c.ctx, course)); len(most) != 2 || most[0].Word != "dry" || most[0].Students != 2 || most[1].Students != 1 || most[0].AssignmentID != class.Assignments[0].ID {
		c.Errorf("looked up most are %+v", most)
	}
	for _, named := range []bool{true, false} {
		c.must(c.NameWords(c.ctx, course, class.Students[1].ID, named))
		if most := must(c.MostLookedUp(c.ctx, course)); (len(most[0].Names) == 1 && most[0].Names[0] == class.Students[1].Name) != named || most[1].Names != nil {
			c.Errorf("named %v, looked up most are %+v", named, most)
		}
	}
	if other := must(c.LookedUp(c.ctx, c.class("wordlists-other", 1, 1).Course.ID, class.Students[0].ID)); len(other) != 0 {
		c.Errorf("in another course they have looked up %+v", other)
	}
}

// transcripts: a recording is written down once, however many ask, and forgotten after a
// while.
func transcripts(c *check) {
	class := c.class("transcripts", 1, 1)
	on := must(class.Copy(c.ctx, c.Store, 0, 0))
	sound := must(c.PutBlob(c.ctx, []byte("what is said")))
	var all sync.WaitGroup
	for range 20 {
		all.Go(func() {
			if t, err := c.AskTranscript(c.ctx, on.ID, sound, c.now); err != nil || t.Done {
				c.Errorf("asked for: %+v, %v", t, err)
			}
		})
	}
	all.Wait()
	asked := must(c.AskTranscript(c.ctx, on.ID, sound, c.now))
	jobs := 0
	for {
		j, err := c.LeaseJob(c.ctx, c.now, c.now.Add(time.Hour), school.JobTranscribe)
		if err != nil {
			break
		}
		if j.Ref == asked.ID {
			jobs++
		}
	}
	if jobs != 1 {
		c.Errorf("it is written down %d times", jobs)
	}
	c.must(c.SetTranscript(c.ctx, asked.ID, "Mind the sill", "away"))
	if t := must(c.Transcript(c.ctx, asked.ID)); !t.Done || t.Text != "Mind the sill" || t.Problem != "away" || t.CopyID != on.ID || t.Sound != sound {
		c.Errorf("what is heard is %+v", t)
	}
	c.must(c.DropTranscript(c.ctx, asked.ID))
	again := must(c.AskTranscript(c.ctx, on.ID, sound, c.now.Add(-48*time.Hour)))
	if again.Done {
		c.Error("what was forgotten is still there")
	}
	must(c.Sweep(c.ctx, c.now.Add(-24*time.Hour)))
	_, err := c.Transcript(c.ctx, again.ID)
	c.is("after a while", err, school.ErrNotFound)
}

// scans: pages that are only pictures wait for their words, and revisions are told that
// they have come.
func scans(c *check) {
	class := c.class("scans", 1, 1)
	file := must(c.PutBlob(c.ctx, []byte("a scan")))
	page := school.FilePage{FileHash: file, Number: 1, Width: 595, Height: 842, Box: "{}", TextLayer: "{}", Guide: "{}", Wordless: true}
	c.must(c.AddFilePages(c.ctx, []school.FilePage{page}))
	if j, err := c.LeaseJob(c.ctx, time.Now().Add(time.Minute), time.Now().Add(2*time.Minute), school.JobScans); err != nil {
		c.Errorf("nobody is told of a scan: %v", err)
	} else {
		c.must(c.JobDone(c.ctx, j.ID))
	}
	if hash := must(c.Wordless(c.ctx)); hash != file {
		c.Errorf("words wait on %q", hash)
	}
	page.TextLayer, page.Text, page.Guide = `{"words":[]}`, "words at last", `{"places":[]}`
	c.must(c.SetPageWords(c.ctx, page))
	if now := must(c.FilePage(c.ctx, file, 1)); now.Wordless || now.Text != page.Text || now.TextLayer != page.TextLayer || now.Guide != page.Guide {
		c.Errorf("the page has %+v", now)
	}
	if _, err := c.Wordless(c.ctx); !errors.Is(err, school.ErrNotFound) {
		c.Errorf("words still wait: %v", err)
	}
	c.must(c.ReadAnew(c.ctx, file, []int{1, 2}))
	if hash, now := must(c.Wordless(c.ctx)), must(c.FilePage(c.ctx, file, 1)); hash != file || !now.Wordless || now.Text != page.Text {
		c.Errorf("read anew: words wait on %q, and the page has %+v", hash, now)
	}
	c.must(c.SetPageWords(c.ctx, page))
	if kits := must(c.KitsWith(c.ctx, class.Revision.FileHash)); len(kits) != 1 {
		c.Errorf("the kits of a file are %q", kits)
	}
	r := class.Revision
	if with := must(c.RevisionsWith(c.ctx, r.FileHash)); len(with) != 1 || with[0].ID != r.ID {
		c.Errorf("the file is handed out as %+v", with)
	}
	guides := must(c.RevisionGuides(c.ctx, r.ID))
	guides[0].Blanks[0].Label = "what it is called"
	c.must(c.Reread(c.ctx, r.ID, guides))
	if all := must(c.RevisionsOf(c.ctx, class.Worksheet.ID)); len(all) != 1 || all[0].Reread != 1 {
		c.Errorf("the revision is %+v", all)
	}
	if now := must(c.RevisionGuides(c.ctx, r.ID)); len(now) != 1 || now[0].Blanks[0].Label != "what it is called" {
		c.Errorf("its guides are %+v", now)
	}
}

func worksheets(c *check) {
	class := c.class("worksheets", 1, 1)
	for query, want := range map[string]int{"": 1, "worksheets": 1, "words": 1, "wor": 1, "elsewhere": 0} {
		var words []string
		if query != "" {
			words = []string{query}
		}
		if got := must(c.WorksheetsOf(c.ctx, class.Teacher.ID, words)); len(got) != want {
			c.Errorf("%q finds %d", query, len(got))
		}
	}
	if layers := must(c.TextLayers(c.ctx, class.Revision.FileHash)); len(layers) != 1 || layers[0] != "{}" || len(must(c.TextLayers(c.ctx, "no such file"))) != 0 {
		c.Errorf("what is printed on the pages of a file is %q", layers)
	}
	guides := must(c.RevisionGuides(c.ctx, class.Revision.ID))
	if len(guides) != 1 || guides[0].Blanks[0].ID != "blank-worksheets" || guides[0].Blanks[0].Rect != class.Revision.Guides[0].Blanks[0].Rect {
		c.Errorf("the guides of a revision: %+v", guides)
	}
	if last := must(c.LatestRevision(c.ctx, class.Worksheet.ID)); last.ID != class.Revision.ID {
		c.Errorf("the latest revision is %d", last.ID)
	}
	held := must(c.Holdings(c.ctx, class.Revision.ID, class.Students[0].ID))
	if len(held) != 1 || held[0].Copy.ID != 0 || held[0].Assignment.ID != class.Assignments[0].ID {
		c.Errorf("without a copy a student holds %+v", held)
	}
	if other := must(c.Holdings(c.ctx, class.Revision.ID, c.class("worksheets-other", 1, 1).Students[0].ID)); len(other) != 0 {
		c.Errorf("somebody else holds %+v", other)
	}
	must(class.Copy(c.ctx, c.Store, 0, 0))
	if held = must(c.Holdings(c.ctx, class.Revision.ID, class.Students[0].ID)); len(held) != 1 || held[0].Copy.StudentID != class.Students[0].ID {
		c.Errorf("a student holds %+v", held)
	}
}

func copies(c *check) {
	class := c.class("copies", 2, 2)
	ids := make([]uint64, 12)
	var all sync.WaitGroup
	for i := range ids {
		all.Go(func() {
			own, err := class.Copy(c.ctx, c.Store, 0, i%3-1)
			if err != nil {
				c.Error(err)
			}
			ids[i] = own.ID
		})
	}
	all.Wait()
	for i, id := range ids {
		if id != ids[i%3] || id == ids[(i+1)%3] {
			c.Fatalf("who opens at once gets copies %v", ids)
		}
	}
	everybodys := must(c.CopyOf(c.ctx, class.Assignments[0].ID, 0))
	if everybodys.StudentID != 0 || everybodys.ID != ids[0] {
		c.Errorf("the copy for all is %+v", everybodys)
	}
	in := must(c.CopyInCourse(c.ctx, ids[1], class.Teacher.ID))
	if in.Role != access.Teacher || in.Student.ID != class.Students[0].ID || in.Revision.ID != class.Revision.ID || in.Course.ID != class.Course.ID {
		c.Errorf("a copy in its course: %+v", in)
	}
	w := must(c.WriteContext(c.ctx, ids[1], class.Students[0].ID))
	if w.Role != access.Student || w.Copy.StudentID != class.Students[0].ID || w.PageCount != 1 || w.Assignment.Mode != in.Assignment.Mode {
		c.Errorf("what decides: %+v", w)
	}
	if w := must(c.WriteContext(c.ctx, ids[0], class.Students[1].ID)); w.Copy.StudentID != 0 {
		c.Errorf("what decides of one for all: %+v", w)
	}
	_, err := c.WriteContext(c.ctx, 1<<40, class.Teacher.ID)
	c.is("a copy that there is not", err, school.ErrNotFound)
}

// operations puts the same changes on a copy many times over, in any order and
// repetition and by several at once. What is present must be what the core says
// of them in memory.
func operations(c *check) {
	class := c.class("operations", 1, 30)
	for seed := range class.Assignments {
		rnd := rand.New(rand.NewPCG(uint64(seed), 5))
		ops := []submission.Op{}
		for i := range 4 + rnd.IntN(8) {
			o := Text(fmt.Sprintf("mark-%04d", rnd.IntN(3)), fmt.Sprint(i))
			o.ID = fmt.Sprintf("op-%03d-%03d", seed, i)
			for _, before := range rnd.Perm(len(ops)) { // made on any earlier one of the same mark
				if ops[before].On == o.On {
					o.Base = ops[before].ID
					break
				}
			}
			if o.Base != "" && rnd.IntN(4) == 0 {
				o.Mark = nil
			}
			ops = append(ops, o)
		}
		var want submission.Board
		for _, o := range ops {
			_, err := want.Apply(submission.Work, o)
			c.must(err)
		}
		own := must(class.Copy(c.ctx, c.Store, seed, 0))
		var all sync.WaitGroup
		for range 2 {
			sent := slices.Concat(ops, ops[:len(ops)/2])
			rnd.Shuffle(len(sent), func(i, j int) { sent[i], sent[j] = sent[j], sent[i] })
			all.Go(func() {
				for batch := range slices.Chunk(sent, 3) {
					err := c.InCopy(c.ctx, own.ID, func(tx school.CopyTx) error {
						if _, err := tx.Copy(); err != nil {
							return err
						}
						_, err := tx.AddOps(submission.Work, class.Students[0].ID, c.now, batch)
						return err
					})
					if err != nil {
						c.Error(err)
					}
				}
			})
		}
		all.Wait()
		seqs, heads, err := c.Layers(c.ctx, own.ID, submission.Work, submission.Own)
		c.must(err)
		got, _ := school.Present(heads)
		if fmt.Sprint(shown(got)) != fmt.Sprint(shown(want.Present(submission.Work))) {
			c.Errorf("seed %d: present are\n%v\nwant\n%v", seed, shown(got), shown(want.Present(submission.Work)))
		}
		if seq := must(c.LayerSeq(c.ctx, own.ID, submission.Work)); seq != int64(len(ops)) || seqs[submission.Work] != seq || seqs[submission.Own] != 0 {
			c.Errorf("seed %d: %d operations were counted, of %d", seed, seq, len(ops))
		}
	}
}

func shown(all []submission.Shown) (out []string) {
	for _, s := range all {
		b := must(s.Mark.MarshalJSON())
		out = append(out, fmt.Sprint(s.Version, s.Conflict, string(b)))
	}
	return out
}

func attempts(c *check) {
	class := c.class("attempts", 2, 1)
	own := must(class.Copy(c.ctx, c.Store, 0, 0))
	c.must(Fix(c.ctx, c.Store, own.ID, 1))
	in := func(do func(school.CopyTx) error) error {
		return c.InCopy(c.ctx, own.ID, func(tx school.CopyTx) error {
			if _, err := tx.Copy(); err != nil {
				return err
			}
			return do(tx)
		})
	}
	score := school.Score{CopyID: own.ID, Attempt: 1, QuestionID: "question-1", Points: points.One, PersonID: class.Teacher.ID, At: c.now}
	better := score
	better.Points = 2 * points.One
	c.must(in(func(tx school.CopyTx) error {
		return errors.Join(tx.AddAnswers(1, []answer.Answer{{Blank: "blank-1", Text: "A"}}), tx.DropAnswers(1),
			tx.AddAnswers(1, []answer.Answer{{Blank: "blank-1", Question: "question-1", Text: "B", Normal: "b"}, {Blank: "blank-2", Drawn: true}}),
			tx.PutScore(score), tx.PutScore(better))
	}))
	c.must(in(func(tx school.CopyTx) error {
		all, err := tx.Scores(1)
		if len(all) != 1 || !reflect.DeepEqual(all[0], better) {
			c.Errorf("scores: %+v", all)
		}
		return err
	}))
	laid, all := must(c.Answers(c.ctx, own.ID, 1)), must(c.AnswersOf(c.ctx, own.AssignmentID))
	if len(laid) != 2 || laid[0].Normal != "b" || !laid[1].Drawn || !slices.Equal(all[own.ID], laid) {
		c.Errorf("answers: %+v, and of all copies %+v", laid, all)
	}
	if got := must(c.ScoresOf(c.ctx, own.AssignmentID)); len(got) != 1 || !reflect.DeepEqual(got[0], better) {
		c.Errorf("scores of the newest attempts: %+v", got)
	}
	if err := in(func(tx school.CopyTx) error {
		return tx.PutScore(school.Score{Attempt: 2, QuestionID: "question-1", At: c.now})
	}); err == nil {
		c.Error("a score of an attempt that there is not was kept")
	}
	again := school.Return{Attempt: 1, PersonID: class.Teacher.ID, PlannedAt: c.now, DueAt: c.now.Add(time.Hour)}
	c.must(in(func(tx school.CopyTx) error { return tx.PutReturn(&again) }))
	idle := must(class.Copy(c.ctx, c.Store, 0, 1)) // without an attempt
	copies, tried, err := c.HandedIn(c.ctx, own.AssignmentID)
	if err != nil || len(copies) != 2 || copies[0].ID != own.ID || copies[1].ID != idle.ID || len(tried) != 1 || tried[0].CopyID != own.ID || tried[0].SnapshotHash == "" || tried[0].Pending == nil || !tried[0].Pending.Equal(again.DueAt) {
		c.Errorf("with a return that is planned: %+v, %+v, %v", copies, tried, err)
	}
	c.must(in(func(tx school.CopyTx) (err error) {
		again.DoneAt = &c.now
		if again.BeforeHash, err = tx.PutBlob([]byte("what was returned before")); err != nil {
			return err
		}
		err = tx.PutReturn(&again)
		all, allErr := tx.Returns(1)
		if len(all) != 1 || all[0].Pending() || !all[0].Stands() || all[0].PersonName != class.Teacher.Name {
			c.Errorf("returns: %+v", all)
		}
		return errors.Join(err, allErr)
	}))
	must(c.Sweep(c.ctx, c.now.Add(time.Hour)))
	if _, err := c.Blob(c.ctx, again.BeforeHash); err != nil {
		c.Errorf("what was returned before was swept: %v", err)
	}
	c.must(in(func(tx school.CopyTx) error {
		a, err := tx.Attempt(1)
		if err != nil || a.ReturnedHash != "" {
			c.Errorf("attempt: %+v", a)
		}
		return errors.Join(err, tx.Withdraw(a, c.now))
	}))
	if all := must(c.Attempts(c.ctx, own.ID)); len(all) != 0 {
		c.Errorf("after taking back there are %+v", all)
	}
	c.must(Fix(c.ctx, c.Store, own.ID, 1))
	c.must(in(func(tx school.CopyTx) error {
		all, err := tx.Scores(1)
		if len(all) != 0 {
			c.Errorf("scores of what was taken back: %+v", all)
		}
		return err
	}))
}

func drafts(c *check) {
	class := c.class("drafts", 1, 1)
	who := class.Students[0].ID
	draft := func(place, body string, after time.Duration) school.Draft {
		return school.Draft{PersonID: who, Thing: school.OfWorksheet, ThingID: 7, Place: place, Body: body, At: c.now.Add(after)}
	}
	c.must(c.PutDrafts(c.ctx, []school.Draft{draft("one", `"new"`, time.Second), draft("two", `"2"`, 2*time.Second), draft("three", `"3"`, 3*time.Second)}, 2))
	c.must(c.PutDrafts(c.ctx, []school.Draft{draft("two", `"old"`, time.Second)}, 2))
	all := must(c.Drafts(c.ctx, who, school.OfWorksheet, 7))
	if len(all) != 2 || all[0].Body != `"2"` || all[1].Body != `"3"` {
		c.Errorf("drafts: %+v", all)
	}
	c.must(c.PutDrafts(c.ctx, []school.Draft{draft("two", "", 4*time.Second)}, 2))
	if all := must(c.Drafts(c.ctx, who, school.OfWorksheet, 7)); len(all) != 1 {
		c.Errorf("after one was emptied: %+v", all)
	}
}

func blobs(c *check) {
	big := bytes.Repeat([]byte("0123456789abcdef"), 160_000) // 2.5 MB: three chunks
	for _, b := range [][]byte{{}, []byte("x"), big} {
		name := must(c.PutBlob(c.ctx, b))
		if again := must(c.PutBlob(c.ctx, b)); again != name {
			c.Errorf("the same bytes are %s and %s", name, again)
		}
		if got := must(c.Blob(c.ctx, name)); !bytes.Equal(got, b) {
			c.Errorf("%d bytes came back as %d", len(b), len(got))
		}
	}
	_, err := c.Blob(c.ctx, "there is no such name")
	c.is("a blob that there is not", err, school.ErrNotFound)
}

func jobs(c *check) {
	_, err := c.LeaseJob(c.ctx, c.now, c.now, school.JobAnswers)
	for err == nil { // of other parts
		_, err = c.LeaseJob(c.ctx, c.now, c.now.Add(time.Hour), school.JobAnswers)
	}
	c.is("no job", err, school.ErrNotFound)
	for ref := range uint64(20) {
		c.must(c.AddJob(c.ctx, school.JobAnswers, 1000+ref, c.now))
		c.must(c.AddJob(c.ctx, school.JobAnswers, 1000+ref, c.now.Add(time.Hour))) // the same, and no later
	}
	c.must(c.AddJob(c.ctx, school.JobAnswers, 2000, c.now.Add(time.Hour)))
	c.must(c.AddJob(c.ctx, school.JobRead, 1000, c.now)) // of another kind
	var mu sync.Mutex
	leased := map[uint64]school.Job{}
	var all sync.WaitGroup
	for range 4 {
		all.Go(func() {
			for {
				j, err := c.LeaseJob(c.ctx, c.now, c.now.Add(time.Minute), school.JobAnswers)
				if errors.Is(err, school.ErrNotFound) {
					return
				}
				if err != nil {
					c.Error(err)
					return
				}
				mu.Lock()
				if _, twice := leased[j.Ref]; twice {
					c.Errorf("job %d was leased twice", j.Ref)
				}
				leased[j.Ref] = j
				mu.Unlock()
			}
		})
	}
	all.Wait()
	if len(leased) != 20 {
		c.Fatalf("%d jobs were leased, of 20 that are due", len(leased))
	}
	c.must(c.JobDone(c.ctx, leased[1000].ID))
	c.must(c.JobFailed(c.ctx, leased[1001].ID, "why", c.now.Add(2*time.Minute)))
	again := 0
	for ; ; again++ { // when the leases have run out
		j, err := c.LeaseJob(c.ctx, c.now.Add(90*time.Second), c.now.Add(time.Hour), school.JobAnswers)
		if err != nil {
			break
		}
		if j.Ref == 1000 || j.Ref == 1001 || j.Tries != 2 {
			c.Errorf("job %+v is done again", j)
		}
	}
	if again != 18 {
		c.Errorf("%d jobs are taken over, want 18", again)
	}
}

func deleting(c *check) {
	class, other := c.class("deleting", 2, 2), c.class("deleting-other", 1, 1)
	kept := must(other.Copy(c.ctx, c.Store, 0, 0))
	c.must(Fix(c.ctx, c.Store, kept.ID, 1))
	var own []school.Copy
	for i := range 4 {
		one := must(class.Copy(c.ctx, c.Store, i/2, i%2))
		own = append(own, one)
		c.must(Fix(c.ctx, c.Store, one.ID, 1))
		c.must(c.AddCopyAttachment(c.ctx, school.CopyAttachment{Hash: must(c.PutBlob(c.ctx, fmt.Appendf(nil, "a sound of copy %d", one.ID))), CopyID: one.ID, Layer: submission.Work, MediaType: "audio/webm", Peaks: "[]"}))
		must(c.View(c.ctx, one.ID, class.Teacher.ID, false, c.now, c.now))
	}
	name := must(c.attachmentOf(own[0].ID))
	c.must(c.DropWorksheet(c.ctx, class.Worksheet.ID, c.now))
	if w := must(c.Worksheet(c.ctx, class.Worksheet.ID)); w.DeletedAt == nil {
		c.Error("a worksheet that was taken off the shelf is not marked so")
	}
	if lying := must(c.WorksheetsOf(c.ctx, class.Teacher.ID, nil)); len(lying) != 0 {
		c.Errorf("%d worksheets lie on the shelf", len(lying))
	}
	c.is("its owner", c.DeletePerson(c.ctx, class.Teacher.ID), school.ErrInUse)

	c.must(c.DeletePerson(c.ctx, class.Students[0].ID))
	for i, one := range own {
		_, err := c.CopyInCourse(c.ctx, one.ID, class.Teacher.ID)
		c.is(fmt.Sprint("copy ", i), err, []error{school.ErrNotFound, nil}[i%2])
	}
	must(c.Sweep(c.ctx, c.now.Add(-time.Hour)))
	if _, err := c.Blob(c.ctx, name); err != nil {
		c.Errorf("what was stored just now was swept: %v", err)
	}
	must(c.Sweep(c.ctx, c.now.Add(time.Hour)))
	_, err := c.Blob(c.ctx, name)
	c.is("a sound of who was deleted", err, school.ErrNotFound)

	c.must(c.DeleteCourse(c.ctx, class.Course.ID))
	_, err = c.Worksheet(c.ctx, class.Worksheet.ID)
	c.is("a worksheet off the shelf of which nothing is assigned any more", err, school.ErrNotFound)
	c.must(c.DeletePerson(c.ctx, class.Teacher.ID))
	c.is("again", c.DeleteCourse(c.ctx, class.Course.ID), school.ErrNotFound)
	must(c.Sweep(c.ctx, c.now.Add(time.Hour)))
	_, err = c.Blob(c.ctx, class.Revision.FileHash)
	c.is("the file of a worksheet that was deleted", err, school.ErrNotFound)
	all := must(c.Attempts(c.ctx, kept.ID))
	if len(all) != 1 {
		c.Fatal("others' attempts are gone")
	}
	for _, hash := range []string{all[0].SnapshotHash, other.Revision.FileHash} {
		if _, err := c.Blob(c.ctx, hash); err != nil {
			c.Errorf("what others have was swept: %v", err)
		}
	}
}

// attachmentOf returns the hash of a copy's only attachment.
func (c *check) attachmentOf(id uint64) (string, error) {
	all, err := c.CopyAttachments(c.ctx, id)
	if len(all) != 1 {
		return "", fmt.Errorf("%d attachments (%w)", len(all), err)
	}
	return all[0].Hash, err
}
