package weave

import (
	"slices"
	"time"

	"gonum.org/v1/gonum/stat"
)

// Phase is what is being done at a frame.
type Phase string

// Going to the pose, settling there, still (the hands are in), exposing, keeping the
// picture; Away is when nothing was going on that is known of.
const (
	Going    Phase = "going"
	Settling Phase = "settling"
	Still    Phase = "still"
	Exposing Phase = "exposing"
	Keeping  Phase = "keeping"
	Away     Phase = "away"
)

// Step is the beginning of a phase.
type Step struct {
	Frame int
	Phase Phase
	At    time.Time
}

// Spent is how long a frame took, in seconds: the hands', and the machine's.
type Spent struct {
	Frame   int     `json:"frame"`
	Hands   float64 `json:"hands_s"`
	Machine float64 `json:"machine_s"`
}

// Times adds up what each frame took from its steps, in the order in which they were
// taken: from one step to the next it is the first one's phase. What follows Away, and
// the last step (which is not over), count for nothing. Frames come in the order in
// which they were begun.
func Times(steps []Step) []Spent {
	out := []Spent{}
	at := map[int]int{}
	for i := 0; i+1 < len(steps); i++ {
		s, d := steps[i], steps[i+1].At.Sub(steps[i].At).Seconds()
		if s.Phase == Away || steps[i+1].Phase == Away || d < 0 { // when it stopped is not known
			continue
		}
		k, ok := at[s.Frame]
		if !ok {
			k = len(out)
			at[s.Frame] = k
			out = append(out, Spent{Frame: s.Frame})
		}
		if s.Phase == Still {
			out[k].Hands += d
		} else {
			out[k].Machine += d
		}
	}
	return out
}

// Pace is what a frame takes as a rule, in seconds, and what the frames that are left come
// to at it.
type Pace struct {
	Frame   float64 `json:"frame_s" doc:"median"`
	Machine float64 `json:"machine_s" doc:"median of the machine's part"`
	Left    int     `json:"left" doc:"frames that have a cell to be taken"`
	LeftS   float64 `json:"left_s"`
}

// Pace of a board whose frames took so long.
func (b *Board) Pace(spent []Spent) Pace {
	var p Pace
	for _, f := range b.frames {
		for _, l := range b.Scheme.Layers {
			if b.wanted(Cell{f, l.ID}) {
				p.Left++
				break
			}
		}
	}
	if len(spent) == 0 {
		return p
	}
	whole, machine := make([]float64, len(spent)), make([]float64, len(spent))
	for i, s := range spent {
		whole[i], machine[i] = s.Hands+s.Machine, s.Machine
	}
	slices.Sort(whole)
	slices.Sort(machine)
	p.Frame, p.Machine = stat.Quantile(0.5, stat.Empirical, whole, nil), stat.Quantile(0.5, stat.Empirical,
		machine, nil)
	p.LeftS = p.Frame * float64(p.Left)
	return p
}
