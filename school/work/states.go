package work

import (
	"context"

	"readymargin/core/access"
	"readymargin/core/mark"
	"readymargin/core/submission"
	"readymargin/school"
)

// States are kept under a name: how a layer of a copy stood, to look at and to
// take marks back from.
type States struct {
	store StateStore
	gate  *school.Gate
	now   school.Clock
}

// NewStates returns the states of the copies in a store.
func NewStates(store StateStore, gate *school.Gate, now school.Clock) *States {
	return &States{store, gate, now}
}

// Bounds of states: of a name, in letters, and of one layer of a copy.
const (
	maxStateName = 60
	maxStates    = 40
)

// Keep keeps what stands in a layer now under a name.
func (s *States) Keep(ctx context.Context, who school.Person, id uint64, layer submission.Layer, name string) (school.State, error) {
	if _, err := s.gate.Layer(ctx, who, id, access.WriteLayer, layer); err != nil {
		return school.State{}, err
	}
	name, ok := school.OneLine(name, maxStateName)
	if !ok || name == "" {
		return school.State{}, school.Refuse("state name", "name", name)
	}
	var state school.State
	err := s.store.InCopy(ctx, id, func(tx school.CopyTx) error {
		if _, err := tx.Copy(); err != nil {
			return err
		}
		there, err := tx.States(layer)
		if err != nil {
			return err
		}
		if len(there) >= maxStates {
			return school.Refuse("states", "name", name)
		}
		seq, err := tx.LayerSeq(layer)
		if err != nil {
			return err
		}
		state = school.State{CopyID: id, Layer: layer, Number: len(there) + 1, Name: name, Seq: seq, At: s.now()}
		return tx.AddState(state)
	})
	return state, err
}

// All returns what was kept of a layer, to those who write in it.
func (s *States) All(ctx context.Context, who school.Person, id uint64, layer submission.Layer) ([]school.State, error) {
	if _, err := s.gate.Layer(ctx, who, id, access.WriteLayer, layer); err != nil {
		return nil, err
	}
	return s.store.States(ctx, id, layer)
}

// Marks returns the marks of a state that was kept.
func (s *States) Marks(ctx context.Context, who school.Person, id uint64, layer submission.Layer, number int) ([]mark.Mark, error) {
	all, err := s.All(ctx, who, id, layer)
	if err != nil {
		return nil, err
	}
	if number < 1 || number > len(all) {
		return nil, access.ErrHidden
	}
	ops, err := s.store.OpsAfter(ctx, id, layer, 0)
	if err != nil {
		return nil, err
	}
	var board submission.Board
	for _, o := range ops {
		if o.Seq > all[number-1].Seq {
			break
		}
		if _, err := board.Apply(layer, o.Op); err != nil {
			return nil, err
		}
	}
	return board.Of(layer), nil
}
