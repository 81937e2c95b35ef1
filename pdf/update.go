package pdf

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strconv"

	"github.com/pdfcpu/pdfcpu/pkg/pdfcpu/types"

	"readymargin/core/document"
)

// An update is a further incremental update of a file (ISO 32000-2, 7.5.6), for what is
// many: its objects lie packed in object streams (7.5.7), and are found by a
// cross-reference stream (7.5.8). A library writes each of some ten thousand annotations
// in kilobytes, and takes seconds over them.
type update struct {
	first   int // number of the first object
	objects []types.Object
	written [][]byte // as they stand in a file, of those to which nothing is added any more
}

// gap is how far from the numbers of the update before it those of this one begin: that
// one takes a few for itself when it is written.
const gap = 8

// add gives an object a number. What it refers to may still change.
func (u *update) add(o types.Object) types.IndirectRef {
	u.objects, u.written = append(u.objects, o), append(u.written, nil)
	return *types.NewIndirectRef(u.first+len(u.objects)-1, 0)
}

// done says that nothing is added to an object any more: as it stands in a file it takes a
// tenth of the room.
func (u *update) done(ref types.IndirectRef) {
	i := ref.ObjectNumber.Value() - u.first
	u.written[i], u.objects[i] = literal(nil, u.objects[i]), nil
}

// inStream is how many objects lie in one object stream.
const inStream = 200

// write returns a file with the update behind it.
func (u *update) write(file []byte, root, info *types.IndirectRef, id types.Array) ([]byte, error) {
	before := startxref.FindAllSubmatch(file[max(0, len(file)-2048):], -1)
	if before == nil {
		return nil, document.ErrDamaged
	}
	out := bytes.NewBuffer(slices.Clip(file))
	if file[len(file)-1] != '\n' {
		out.WriteByte('\n')
	}
	type entry struct{ kind, where, index int }
	entries := make([]entry, len(u.objects))
	var packedIn [][]int // objects by object streams
	for i, o := range u.objects {
		if s, ok := o.(types.StreamDict); ok {
			entries[i] = entry{1, out.Len(), 0}
			fmt.Fprintf(out, "%d 0 obj\n%s\nstream\n", u.first+i, literal(nil, s.Dict))
			out.Write(s.Raw)
			out.WriteString("\nendstream\nendobj\n")
			continue
		}
		if n := len(packedIn); n == 0 || len(packedIn[n-1]) == inStream {
			packedIn = append(packedIn, nil)
		}
		last := &packedIn[len(packedIn)-1]
		entries[i] = entry{2, u.first + len(u.objects) + len(packedIn) - 1, len(*last)}
		*last = append(*last, i)
	}
	for _, in := range packedIn {
		var head, body []byte
		for _, i := range in {
			head = fmt.Appendf(head, "%d %d ", u.first+i, len(body))
			if u.written[i] != nil {
				body = append(append(body, u.written[i]...), '\n')
				continue
			}
			body = append(literal(body, u.objects[i]), '\n')
		}
		content := pack(append(head, body...))
		number := u.first + len(entries)
		entries = append(entries, entry{1, out.Len(), 0})
		fmt.Fprintf(out, "%d 0 obj\n<</Type/ObjStm/N %d/First %d/Filter/FlateDecode/Length %d>>\nstream\n", number, len(in), len(head), len(content))
		out.Write(content)
		out.WriteString("\nendstream\nendobj\n")
	}
	number, at := u.first+len(entries), out.Len()
	entries = append(entries, entry{1, at, 0})
	var table []byte
	for _, e := range entries {
		table = append(table, byte(e.kind))
		table = binary.BigEndian.AppendUint32(table, uint32(e.where))
		table = binary.BigEndian.AppendUint16(table, uint16(e.index))
	}
	content := pack(table)
	d := types.Dict{
		"Type": types.Name("XRef"), "Size": types.Integer(number + 1), "Index": types.Array{types.Integer(u.first), types.Integer(len(entries))},
		"W": types.Array{types.Integer(1), types.Integer(4), types.Integer(2)}, "Root": *root, "ID": id,
		"Filter": types.Name("FlateDecode"), "Length": types.Integer(len(content)),
	}
	prev, err := strconv.Atoi(string(before[len(before)-1][1]))
	if err != nil {
		return nil, document.ErrDamaged
	}
	d["Prev"] = types.Integer(prev)
	if info != nil {
		d["Info"] = *info
	}
	fmt.Fprintf(out, "%d 0 obj\n%s\nstream\n", number, literal(nil, d))
	out.Write(content)
	fmt.Fprintf(out, "\nendstream\nendobj\nstartxref\n%d\n%%%%EOF\n", at)
	return out.Bytes(), nil
}

var startxref = regexp.MustCompile(`startxref\s+(\d+)`)

// literal appends an object as it stands in a file, with numbers no longer than they need to
// be.
func literal(b []byte, o types.Object) []byte {
	switch o := o.(type) {
	case nil:
		return append(b, "null"...)
	case types.Dict:
		b = append(b, "<<"...)
		for _, k := range slices.Sorted(maps.Keys(o)) {
			b = append(append(b, '/'), types.EncodeName(k)...)
			if !delimited(o[k]) {
				b = append(b, ' ')
			}
			b = literal(b, o[k])
		}
		return append(b, ">>"...)
	case types.Array:
		b = append(b, '[')
		for i, v := range o {
			if i > 0 && !delimited(v) {
				b = append(b, ' ')
			}
			b = literal(b, v)
		}
		return append(b, ']')
	case types.Float:
		s := strconv.FormatFloat(float64(o), 'f', 4, 64)
		for s[len(s)-1] == '0' {
			s = s[:len(s)-1]
		}
		if s[len(s)-1] == '.' {
			s = s[:len(s)-1]
		}
		return append(b, s...)
	}
	return append(b, o.PDFString()...)
}

// delimited reports whether an object begins with a delimiter (7.2.3), before which no
// space is needed.
func delimited(o types.Object) bool {
	switch o.(type) {
	case types.Dict, types.Array, types.Name, types.StringLiteral, types.HexLiteral:
		return true
	}
	return false
}
