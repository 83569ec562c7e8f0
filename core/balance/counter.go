package balance

import (
	"fmt"
	"math"
	"sort"

	"keenarc/core/mistake"
)

// Weights are counterweights of one size that somebody owns.
type Weights struct {
	Kg    float64 `json:"kg"`
	Count int     `json:"count"`
}

// Crane is a boom on its pivot: what it lacks by itself, in kilogram metres towards the
// camera, at each of its lengths, and what it carries there.
type Crane struct {
	TailM     float64
	BoomKgM   []float64 // one, or one for each arm
	PayloadKg float64
	ArmsM     []float64
	Weights   []Weights
}

// ArmWeights is the set for one length of the arm. LeftKgM is what is left at the pivot:
// positive where the tail is the heavier end.
type ArmWeights struct {
	ArmM     float64   `json:"arm_m"`
	NeededKg float64   `json:"needed_kg"`
	Chosen   []Weights `json:"chosen"`
	ChosenKg float64   `json:"chosen_kg"`
	LeftKgM  float64   `json:"left_kgm"`
}

// OneSet is the set for a whole move; its worst, signed, is at one of the arms.
type OneSet struct {
	Chosen       []Weights `json:"chosen"`
	ChosenKg     float64   `json:"chosen_kg"`
	WorstLeftKgM float64   `json:"worst_left_kgm"`
	AtArmM       float64   `json:"at_arm_m"`
	// LeftKgM is what is left at each arm with this set.
	LeftKgM []float64 `json:"left_kgm"`
}

// Counter is the answer for a crane. Short says which arms the weights do not reach, or
// is empty.
type Counter struct {
	Arms   []ArmWeights `json:"arms"`
	OneSet OneSet       `json:"one_set"`
	Short  string       `json:"short,omitempty" doc:"what is missing, where the weights do not reach"`
}

// mostSets bounds how many different sets of weights are looked at.
const mostSets = 500_000

func (c *Crane) check() error {
	if !(c.TailM > 0 && c.TailM <= mostM) {
		return mistake.In("tail_m", "give how far behind the pivot the weights hang, in metres above zero",
			"it is %g", c.TailM)
	}
	if !(c.PayloadKg > 0 && c.PayloadKg <= mostKg) {
		return mistake.In("payload_kg", "weigh what the crane carries and give kilograms above zero", "it is %g",
			c.PayloadKg)
	}
	if len(c.ArmsM) == 0 || len(c.ArmsM) > 10_000 {
		return mistake.In("arms_m", "give the arm's lengths from the pivot, in metres", "there are %d", len(c.ArmsM))
	}
	for i, a := range c.ArmsM {
		if !(a > 0 && a <= mostM) {
			return mistake.In(fmt.Sprintf("arms_m[%d]", i), "give metres from the pivot, above zero",
				"the arm is %g m long", a)
		}
	}
	if n := len(c.BoomKgM); n != 1 && n != len(c.ArmsM) {
		return mistake.In("boom_kgm", "give one number, or one for each arm", "there are %d for %d arms", n,
			len(c.ArmsM))
	}
	for _, b := range c.BoomKgM {
		if !(math.Abs(b) <= mostKg*mostM) {
			return mistake.In("boom_kgm", "give kilogram metres", "it is %g", b)
		}
	}
	sets := 1.0
	for i, w := range c.Weights {
		field := fmt.Sprintf("weights[%d]", i)
		if !(w.Kg > 0 && w.Kg <= mostKg) {
			return mistake.In(field+".kg", "give kilograms above zero", "a weight has %g kg", w.Kg)
		}
		if w.Count < 0 || w.Count > 10_000 {
			return mistake.In(field+".count", "give how many of them you own, 0 to 10000", "it is %d", w.Count)
		}
		sets *= float64(w.Count + 1)
	}
	if len(c.Weights) == 0 {
		return mistake.In("weights", "give the weights you own, as kilograms and count", "there are none")
	}
	if sets > mostSets {
		return mistake.In("weights", "leave out kinds that are not used", "they make %.0f different sets, over %d",
			sets, mostSets)
	}
	return nil
}

// set is one choice: its mass, its pieces, and the counts as a mixed-base number.
type set struct {
	kg     float64
	pieces int
	code   int
}

// sets are all choices in rising mass, the one of fewest pieces first among equals.
func (c *Crane) sets() []set {
	out := []set{{}}
	base := 1
	for _, w := range c.Weights {
		had := len(out)
		for n := 1; n <= w.Count; n++ {
			for _, s := range out[:had] {
				out = append(out, set{s.kg + float64(n)*w.Kg, s.pieces + n, s.code + n*base})
			}
		}
		base *= w.Count + 1
	}
	sort.Slice(out, func(i, k int) bool { return out[i].kg < out[k].kg })
	// Of those that weigh the same the one of fewest pieces will do.
	n, from := 0, 0.0
	for i := range out {
		if i == 0 || !same(out[i].kg, from) {
			from, out[n] = out[i].kg, out[i]
			n++
		} else if l := &out[n-1]; out[i].pieces < l.pieces || out[i].pieces == l.pieces && out[i].code < l.code {
			*l = out[i]
		}
	}
	return out[:n]
}

// same is whether two masses are: sums of the same weights differ in their last digits.
func same(a, b float64) bool { return math.Abs(a-b) <= 1e-9*(1+math.Max(math.Abs(a), math.Abs(b))) }

// nearest is the set nearest to a mass; of two as near the one of fewer pieces, then
// the lighter one.
func nearest(sets []set, kg float64) set {
	i := sort.Search(len(sets), func(i int) bool { return sets[i].kg >= kg })
	switch i {
	case 0:
		return sets[0]
	case len(sets):
		return sets[i-1]
	}
	below, above := sets[i-1], sets[i]
	db, da := kg-below.kg, above.kg-kg
	if math.Abs(db-da) <= 1e-9*(1+math.Abs(kg)) {
		if above.pieces < below.pieces {
			return above
		}
		return below
	}
	if da < db {
		return above
	}
	return below
}

func (c *Crane) chosen(s set) []Weights {
	out := []Weights{}
	code := s.code
	for _, w := range c.Weights {
		if n := code % (w.Count + 1); n > 0 {
			out = append(out, Weights{w.Kg, n})
		}
		code /= w.Count + 1
	}
	return out
}

// boom is what the boom lacks at arm i.
func (c *Crane) boom(i int) float64 {
	if len(c.BoomKgM) == 1 {
		return c.BoomKgM[0]
	}
	return c.BoomKgM[i]
}

// Weigh chooses the weights for each arm, and the one set that leaves the least at the
// worst of them, since weights are not changed in mid-move: that nearest to the middle
// between the least and the most that is needed.
func (c *Crane) Weigh() (*Counter, error) {
	if err := c.check(); err != nil {
		return nil, err
	}
	sets := c.sets()
	out := &Counter{Arms: make([]ArmWeights, len(c.ArmsM)), OneSet: OneSet{LeftKgM: make([]float64, len(c.ArmsM))}}
	least, most := math.Inf(1), math.Inf(-1)
	moment := func(i int) float64 { return c.PayloadKg*c.ArmsM[i] + c.boom(i) }
	for i, arm := range c.ArmsM {
		need := moment(i) / c.TailM
		least, most = min(least, need), max(most, need)
		s := nearest(sets, need)
		out.Arms[i] = ArmWeights{arm, need, c.chosen(s), s.kg, s.kg*c.TailM - moment(i)}
	}
	s := nearest(sets, (least+most)/2)
	out.OneSet.Chosen, out.OneSet.ChosenKg = c.chosen(s), s.kg
	for i, arm := range c.ArmsM {
		left := s.kg*c.TailM - moment(i)
		out.OneSet.LeftKgM[i] = left
		if i == 0 || math.Abs(left) > math.Abs(out.OneSet.WorstLeftKgM)*(1+1e-12) {
			out.OneSet.WorstLeftKgM, out.OneSet.AtArmM = left, arm
		}
	}
	out.Short = c.short(sets[len(sets)-1].kg, least, most)
	return out, nil
}

// short says what is missing where the weights do not reach.
func (c *Crane) short(all, least, most float64) string {
	if most > all+1e-9*(1+all) {
		return fmt.Sprintf("The weights do not reach: it needs %.1f kg at the tail and all of them are %.1f kg, %.1f "+
			"too few. Bring more, draw the arm in, or hang them further back.", most, all, most-all)
	}
	if least < -1e-9 {
		return fmt.Sprintf("Its tail is the heavier end by itself: it wants %.1f kg less there. Hang weight at the "+
			"camera's end.", -least)
	}
	return ""
}
