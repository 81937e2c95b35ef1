package browser

import (
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"github.com/chromedp/cdproto/accessibility"
	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/dom"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
)

// A Node is one of the accessibility tree: what somebody is told who does not see the
// screen.
type Node struct {
	Role, Name, Value string
	id                cdp.BackendNodeID
}

// Tree returns the nodes of the accessibility tree in their order.
func (t *Tab) Tree() ([]Node, error) {
	all, err := chromedp.Call(t.Ctx, accessibility.GetFullAXTree, accessibility.GetFullAXTreeParams{})
	if err != nil {
		return nil, err
	}
	by := map[accessibility.NodeID]*accessibility.Node{}
	for _, n := range all.Nodes {
		by[n.NodeID] = n
	}
	var out []Node
	var walk func(n *accessibility.Node)
	walk = func(n *accessibility.Node) {
		if !n.Ignored {
			out = append(out, Node{text(n.Role), text(n.Name), text(n.Value), n.BackendDOMNodeID})
		}
		for _, id := range n.ChildIDs {
			if c := by[id]; c != nil {
				walk(c)
			}
		}
	}
	if len(all.Nodes) > 0 {
		walk(all.Nodes[0])
	}
	return out, nil
}

func text(v *accessibility.Value) string {
	if v == nil || len(v.Value) == 0 {
		return ""
	}
	var s any
	if json.Unmarshal(v.Value, &s) != nil || s == nil {
		return ""
	}
	return strings.TrimSpace(fmt.Sprint(s))
}

// Told waits for a node of a role whose name has some words in it.
func (t *Tab) Told(role, words string) (Node, error) {
	for range 100 {
		all, err := t.Tree()
		if err != nil {
			return Node{}, err
		}
		for _, n := range all {
			if n.Role == role && strings.Contains(n.Name, words) {
				return n, nil
			}
		}
		time.Sleep(100 * time.Millisecond)
	}
	all, err := t.Tree()
	return Node{}, fmt.Errorf("browser: no %s is called %q in the tree (%v): %+v", role, words, err, all)
}

// Reach gives a node the focus.
func (t *Tab) Reach(n Node) error {
	_, err := chromedp.Call(t.Ctx, dom.Focus, dom.FocusParams{BackendNodeID: n.id})
	return err
}

// Do reaches what the tree tells of and presses a key on it; Say types into it.
func (t *Tab) Do(role, words, key string) error {
	n, err := t.Told(role, words)
	if err == nil {
		err = t.Reach(n)
	}
	if err == nil && key == kb.Enter {
		return t.Enter()
	}
	if err == nil {
		err = t.Key(key)
	}
	return err
}

// Say types a text into what the tree tells of.
func (t *Tab) Say(role, words, text string) error {
	n, err := t.Told(role, words)
	if err == nil {
		err = t.Reach(n)
	}
	if err == nil {
		err = t.Type(text)
	}
	return err
}
