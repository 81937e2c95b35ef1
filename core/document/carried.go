package document

import (
	"fmt"
	"strings"
)

// Carried is what a file carries beside what is seen on its pages. None of it
// is handed out.
type Carried struct {
	Attachments int  `json:"attachments,omitempty"`
	Scripts     int  `json:"scripts,omitempty"`
	Comments    int  `json:"comments,omitempty"`
	Revisions   int  `json:"revisions,omitempty"` // earlier ones, whose bytes are still in the file
	Signatures  int  `json:"signatures,omitempty"`
	Author      bool `json:"author,omitempty"` // who made it, with what, when
}

// String says it in words; "" for nothing.
func (c Carried) String() string {
	var parts []string
	add := func(n int, one, many string) {
		switch {
		case n == 1:
			parts = append(parts, one)
		case n > 1:
			parts = append(parts, fmt.Sprint(n, " ", many))
		}
	}
	add(c.Attachments, "an attachment", "attachments")
	add(c.Scripts, "a script", "scripts")
	add(c.Comments, "a comment", "comments")
	add(c.Signatures, "a signature", "signatures")
	add(c.Revisions, "an earlier version of it", "earlier versions of it")
	if c.Author && len(parts) > 0 {
		parts = append(parts, "who made it")
	}
	if len(parts) == 0 {
		return ""
	}
	last := len(parts) - 1
	said := parts[last]
	if last > 0 {
		said = strings.Join(parts[:last], ", ") + " and " + said
	}
	return "Students do not get what this file carries beside its pages: " + said + "."
}
