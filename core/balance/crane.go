package balance

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"keenarc/core/rig"
)

// OnCrane is what a crane wants at its tail over the lengths of its arm that are used.
type OnCrane struct {
	TailM     float64   `json:"tail_m"`
	PayloadKg float64   `json:"payload_kg" doc:"with the head"`
	AxisMM    []float64 `json:"axis_mm" doc:"the arm's axis at each arm"`
	Counter
	HungKg   float64   `json:"hung_kg"`
	HungLeft []float64 `json:"hung_left_kgm" doc:"what is left at each arm with what hangs there"`
	OK       bool      `json:"ok"`
	Says     string    `json:"says"`
	Then     string    `json:"then"`
	Problem  string    `json:"problem,omitempty"`
	// Own are the weights that there are: as somebody says, else those of the carry list.
	Own []Weights `json:"own"`
	// Differs says where the carry list has others.
	Differs string `json:"differs,omitempty"`
}

// craneSteps is over how many lengths a crane's arm is looked at.
const craneSteps = 7

// handKg is how far what hangs at a crane's tail may be from the middle of what is needed there:
// somebody holds that with a hand. What an arm that changes its length leaves besides is no weight's
// fault; it is said, since the boom's brake has to hold it.
const handKg = 2.5

func (r *Settled) crane(out *BenchSheet, m *rig.Rig, guessed bool) error {
	k := m.Book.Crane
	c := &OnCrane{TailM: k.TailM, PayloadKg: out.MassKg + k.HeadKg, HungLeft: []float64{}, AxisMM: []float64{0}}
	c.Arms, c.OneSet.Chosen, c.OneSet.LeftKgM = []ArmWeights{}, []Weights{}, []float64{}
	out.Crane = c
	c.Own = r.Own
	listed := listed(m.Book.Parts)
	switch {
	case len(c.Own) == 0:
		c.Own = listed
	case len(listed) > 0 && !sameWeights(listed, c.Own):
		c.Differs = fmt.Sprintf("The carry list has %s: put one of the two right.", words(listed))
	}
	if i := m.Index(k.Arm); i >= 0 {
		from, to := m.Axes[i].Min, m.Axes[i].Max
		if r.Arms[1] > r.Arms[0] {
			from, to = math.Max(from, r.Arms[0]), math.Min(to, r.Arms[1])
		}
		c.AxisMM = c.AxisMM[:0]
		for n := range craneSteps {
			c.AxisMM = append(c.AxisMM, from+(to-from)*float64(n)/(craneSteps-1))
		}
	}
	for _, w := range r.Weights {
		c.HungKg += w.Kg * float64(w.Count)
	}
	crane := &Crane{TailM: k.TailM, PayloadKg: c.PayloadKg, Weights: c.Own}
	for _, mm := range c.AxisMM {
		crane.ArmsM = append(crane.ArmsM, k.HeadM+mm/1000)
		// What slides out takes all of its own weight along.
		crane.BoomKgM = append(crane.BoomKgM, k.BoomKgM+k.ArmKg*mm/1000)
	}
	if why := headTwice(m.Book); why != "" {
		c.Problem = why
	} else if len(c.Own) == 0 {
		c.Problem = "Say which weights you own, as kilograms and count."
	} else {
		a, err := crane.Weigh()
		if err != nil {
			return err
		}
		c.Counter = *a
		c.hangs(crane, guessed)
	}
	says := c.Says
	if says == "" {
		says = c.Problem
	}
	switch {
	case !out.Verdict.OK:
	case !c.OK:
		out.Verdict = Verdict{Says: fmt.Sprintf("%s is not counterweighted for this camera. %s", m.Name, says)}
	case m.Book.Head == nil && m.Book.Wrist == nil:
		out.Verdict = Verdict{OK: true, Says: says}
	}
	return nil
}

// listed are the counterweights of a carry list, the largest first.
func listed(parts []rig.Part) []Weights {
	out := []Weights{}
	for _, p := range parts {
		if p.Is == rig.IsCounterweight {
			out = append(out, Weights{p.Kg, p.Count})
		}
	}
	slices.SortStableFunc(out, func(a, b Weights) int { return cmp.Compare(b.Kg, a.Kg) })
	return out
}

// sameWeights is whether two lists have the same weights, in whatever order.
func sameWeights(a, b []Weights) bool {
	count := map[float64]int{}
	for _, w := range a {
		count[w.Kg] += w.Count
	}
	for _, w := range b {
		count[w.Kg] -= w.Count
	}
	for _, n := range count {
		if n != 0 {
			return false
		}
	}
	return true
}

// headTwice says so where a crane's head weighs one thing on the carry list and another in its sums.
func headTwice(b *rig.Book) string {
	kg, known := 0.0, false
	for _, p := range b.Parts {
		if p.Is == rig.IsHead {
			kg, known = kg+p.Kg*float64(p.Count), true
		}
	}
	if !known || math.Abs(kg-b.Crane.HeadKg) <= scaleOff*max(kg, b.Crane.HeadKg) {
		return ""
	}
	return fmt.Sprintf("Its head weighs %g kg on the carry list and %g in these sums: weigh it, and put one of "+
		"them right.", kg, b.Crane.HeadKg)
}

// pull is how many kilograms of pull hold what is left at the pivot with an arm of a length, and at
// which end.
func (c *OnCrane) pull(leftKgM, armM float64) (kg float64, end string) {
	if leftKgM > 0 { // the tail is the heavier end
		return leftKgM / armM, "camera's end"
	}
	return -leftKgM / c.TailM, "tail"
}

// hangs says whether what hangs at the tail is the right set, with what is weighed a hundredth off.
func (c *OnCrane) hangs(crane *Crane, guessed bool) {
	worst, least, most := 0.0, math.Inf(1), math.Inf(-1)
	for i, arm := range crane.ArmsM {
		needs := crane.PayloadKg*arm + crane.BoomKgM[i]
		left := c.HungKg*c.TailM - needs
		c.HungLeft, worst = append(c.HungLeft, left), math.Max(worst, math.Abs(left))
		least, most = min(least, needs/c.TailM), max(most, needs/c.TailM)
	}
	best, middle := c.OneSet, (least+most)/2
	unsure := scaleOff * crane.PayloadKg * slices.Max(crane.ArmsM) / c.TailM
	nearest := worst <= math.Abs(best.WorstLeftKgM)*1.001+1e-9
	off := math.Abs(c.HungKg-middle) + unsure
	c.OK = c.Short == "" && !guessed && nearest && off <= handKg
	then := "Then at"
	if c.OK {
		then = "At"
	}
	kg, end := c.pull(best.WorstLeftKgM, best.AtArmM)
	c.Then = fmt.Sprintf(then+" most %.1f kg m are left, at %.2f m of arm: %.1f kg of pull at the %s holds it there.",
		math.Abs(best.WorstLeftKgM), best.AtArmM, kg, end)
	switch {
	case guessed:
		c.Says, c.Then = "Weigh the camera first: what hangs at the other end is not known.", ""
	case c.Short != "":
		c.Says = c.Short
	case c.OK:
		c.Says = fmt.Sprintf("%s kg hang at the tail: the right set for this move.", short(c.HungKg))
	case math.Abs(best.ChosenKg-middle)+unsure > handKg:
		c.Says = fmt.Sprintf("No set of these weights comes near: it needs %s kg at the tail, to %s at most, and the "+
			"nearest is %s. Bring smaller ones.",
			short(middle), short(handKg), short(best.ChosenKg))
	default:
		c.Says = fmt.Sprintf("Hang %s at the tail: %s kg.", words(best.Chosen), short(best.ChosenKg))
	}
}

// words says a set of weights.
func words(set []Weights) string {
	if len(set) == 0 {
		return "nothing"
	}
	s := ""
	for i, w := range set {
		switch {
		case i > 0 && i == len(set)-1:
			s += " and "
		case i > 0:
			s += ", "
		}
		s += fmt.Sprintf("%d × %g kg", w.Count, w.Kg)
	}
	return s
}
