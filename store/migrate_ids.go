package store

import (
	"context"
	"database/sql"
	"encoding/json"

	"readymargin/core/page"
	"readymargin/core/submission"
	"readymargin/core/worksheet"
)

// nameBlanks is migration 8: every blank and question gets its ID, once, and
// the marks that are being worked on name the blank that they lie in.
func nameBlanks(ctx context.Context, tx *sql.Tx) error {
	m := naming{ctx: ctx, tx: tx, found: map[string][]worksheet.Guide{}, sizes: map[string][]page.Point{}}
	for _, table := range []string{"worksheets", "revisions"} {
		if err := m.plans(table); err != nil {
			return err
		}
	}
	return m.revisions()
}

// forgetBlanks undoes nameBlanks, but for the IDs themselves: they harm nobody.
func forgetBlanks(ctx context.Context, tx *sql.Tx) error {
	_, err := tx.ExecContext(ctx, "DELETE FROM revision_guides")
	return err
}

type naming struct {
	ctx   context.Context
	tx    *sql.Tx
	found map[string][]worksheet.Guide // by file
	sizes map[string][]page.Point
}

// rows calls scan for every row. Nothing else may be asked meanwhile: the
// connection takes one statement at a time.
func (m naming) rows(q string, args []any, columns int, scan func([]sql.RawBytes) error) error {
	rows, err := m.tx.QueryContext(m.ctx, q, args...)
	if err != nil {
		return err
	}
	defer rows.Close()
	row, to := make([]sql.RawBytes, columns), make([]any, columns)
	for i := range row {
		to[i] = &row[i]
	}
	for rows.Next() {
		if err := rows.Scan(to...); err != nil {
			return err
		}
		if err := scan(row); err != nil {
			return err
		}
	}
	return rows.Err()
}

// plans names what teachers have set.
func (m naming) plans(table string) error {
	next := map[string]string{}
	err := m.rows("SELECT id, plan FROM "+table, nil, 2, func(r []sql.RawBytes) error {
		p, err := worksheet.Parse(string(r[1]))
		next[string(r[0])] = p.Named().String()
		return err
	})
	for id, plan := range next {
		if err == nil {
			_, err = m.tx.ExecContext(m.ctx, "UPDATE "+table+" SET plan = ? WHERE id = ?", plan, id)
		}
	}
	return err
}

// file reads what was found on a file's pages, and their sizes.
func (m naming) file(hash string) ([]worksheet.Guide, []page.Point, error) {
	if _, there := m.found[hash]; there {
		return m.found[hash], m.sizes[hash], nil
	}
	m.found[hash] = nil
	err := m.rows("SELECT guide, width, height FROM file_pages WHERE file_hash = ? ORDER BY number", []any{hash}, 3, func(r []sql.RawBytes) error {
		var g worksheet.Guide
		var size page.Point
		if err := json.Unmarshal(r[0], &g); err != nil {
			return err
		}
		if err := json.Unmarshal(r[1], &size.X); err != nil {
			return err
		}
		m.found[hash], m.sizes[hash] = append(m.found[hash], g), append(m.sizes[hash], size)
		return json.Unmarshal(r[2], &m.sizes[hash][len(m.sizes[hash])-1].Y)
	})
	return m.found[hash], m.sizes[hash], err
}

type oldRevision struct {
	id, file, worksheet string
	then, now           worksheet.Plan
	sources             []string
}

func (m naming) revisions() error {
	var all []oldRevision
	err := m.rows("SELECT r.id, r.file_hash, r.worksheet_id, r.plan, w.plan FROM revisions r JOIN worksheets w ON w.id = r.worksheet_id", nil, 5, func(r []sql.RawBytes) error {
		old := oldRevision{id: string(r[0]), file: string(r[1]), worksheet: string(r[2])}
		var err error
		if old.then, err = worksheet.Parse(string(r[3])); err == nil {
			old.now, err = worksheet.Parse(string(r[4]))
		}
		all = append(all, old)
		return err
	})
	if err != nil {
		return err
	}
	for _, r := range all {
		if err := m.rows("SELECT file_hash FROM sources WHERE worksheet_id = ? ORDER BY number", []any{r.worksheet}, 1, func(row []sql.RawBytes) error {
			r.sources = append(r.sources, string(row[0]))
			return nil
		}); err != nil {
			return err
		}
		guides, sizes, err := m.issued(r)
		if err != nil {
			return err
		}
		for i, g := range guides {
			b, err := json.Marshal(g)
			if err != nil {
				return err
			}
			if _, err := m.tx.ExecContext(m.ctx, "INSERT INTO revision_guides (revision_id, page, guide) VALUES (?, ?, ?)", r.id, i+1, b); err != nil {
				return err
			}
		}
		if err := m.marks(r.id, r.now.Guides(r.then, guides, sizes)); err != nil {
			return err
		}
	}
	return nil
}

// issued returns what the pages of a revision have to be worked on. What lies
// where something lies on the teacher's own page, or lies there now, has the
// same ID.
func (m naming) issued(r oldRevision) ([]worksheet.Guide, []page.Point, error) {
	found, sizes, err := m.file(r.file)
	if err != nil {
		return nil, nil, err
	}
	sheet := r.then.Of(worksheet.Sheet)
	out := make([]worksheet.Guide, min(len(found), len(sheet)))
	for i := range out {
		l := sheet[i]
		out[i] = l.Guided(found[i])
		if l.Blanks == nil && l.Turn == 0 && l.Source < len(r.sources) {
			source, _, err := m.file(r.sources[l.Source])
			if err != nil {
				return nil, nil, err
			}
			if l.Page <= len(source) {
				out[i] = out[i].Keeping(worksheet.PageRef{Source: l.Source, Page: l.Page}.Guided(source[l.Page-1]))
			}
		}
	}
	for i, now := range r.now.Guides(r.then, out, sizes[:len(out)]) {
		out[i] = out[i].Keeping(now)
	}
	return out, sizes, nil
}

// marks ties the work on copies of a revision to the blanks that it lies in.
func (m naming) marks(revision string, guides []worksheet.Guide) error {
	type change struct{ copy, op, body string }
	var all []change
	err := m.rows("SELECT copy_id, op_id, body FROM heads WHERE layer = 'work' AND copy_id IN (SELECT id FROM copies WHERE revision_id = ?)", []any{revision}, 3, func(r []sql.RawBytes) error {
		var h submission.Head
		if err := json.Unmarshal(r[2], &h); err != nil {
			return err
		}
		if h.Mark == nil || h.Mark.Blank != "" || h.Mark.Page > len(guides) {
			return nil
		}
		if h.Mark.Blank = guides[h.Mark.Page-1].BlankOf(*h.Mark); h.Mark.Blank == "" {
			return nil
		}
		b, err := json.Marshal(h)
		all = append(all, change{string(r[0]), string(r[1]), string(b)})
		return err
	})
	if err != nil {
		return err
	}
	for _, c := range all {
		if _, err := m.tx.ExecContext(m.ctx, "UPDATE heads SET body = ? WHERE copy_id = ? AND layer = 'work' AND op_id = ?", c.body, c.copy, c.op); err != nil {
			return err
		}
	}
	_, err = m.tx.ExecContext(m.ctx, `UPDATE layers SET bytes = (SELECT COALESCE(SUM(LENGTH(body)), 0) FROM heads WHERE heads.copy_id = layers.copy_id AND heads.layer = 'work')
		WHERE layer = 'work' AND copy_id IN (SELECT id FROM copies WHERE revision_id = ?)`, revision)
	return err
}
