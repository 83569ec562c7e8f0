package site

import (
	"fmt"
	"slices"
)

// rule is that one doing comes before another, and why.
type rule struct {
	first, then Doing
	why         string
}

// rules of a set-up. What is already so by its nature (a rail is laid before it is
// levelled) is in natural.
var rules = []rule{
	{Agree, Lay, "what is laid before the place is agreed may be laid twice"},
	{Even, Mount, "a camera goes onto what stands level"},
	{Camera, Mount, "what is mounted is built first"},
	{Cable, Boot, "nothing boots without power and data"},
	{Pins, Boot, "transport pins are pulled before power"},
	{PinIn, Mount, "its pin is in while it is mounted"},
	{Mount, PinOut, "its pin is in while it is mounted"},
	{PinOut, Home, "nothing is homed against a pin"},
	{Mount, Line, "the safety line holds what is mounted"},
	{Line, Balance, "the safety line is on, and nothing dangles, before a gear is freed"},
	{Line, Release, "nothing has power with a camera on it that no line holds"},
	{Boot, Home, "homing needs its drives"},
	{Mount, Balance, "it is balanced with the camera on"},
	{Fit, Balance, "it is balanced with everything on that will hang there"},
	{Mount, Weights, "counterweights go on after what they hold, or the front flies up"},
	{Weights, PinOut, "its pin holds the boom until it is in balance"},
	{Balance, Home, "freeing a gear voids its axis's home"},
	{Mount, Tell, "an arm is told what hangs on it, not what will"},
	{Fit, Tell, "an arm is told what hangs on it, not what will"},
	{Home, Tell, "poses mean something once it is homed"},
	{Home, Lens, "marks are taken on a ring that is homed"},
}

var natural = map[Doing][]Doing{
	Lay: {Even, Build, Mount}, Even: {Build, Head, Mount}, Build: {Head, Mount, Boot, Weights, Pins}, Head: {Mount},
	Mount: {Pins}, Camera: {Weigh, Fit}, Agree: {Even}, PinIn: {Head, PinOut}, Isolate: {Release},
}

// byHand is done with hands at the machine: none of it while it may have power.
var byHand = []Doing{Mount, Line, Weights, PinIn, PinOut, Balance}

// powered gives it power, and wantsPower is done with it.
var (
	powered    = []Doing{Boot, Release}
	wantsPower = []Doing{Home, Tell}
)

// Breach is a rule that an order breaks, with the two steps.
type Breach struct {
	First string `json:"first"`
	Then  string `json:"then"`
	Says  string `json:"says"`
}

// breaches are the rules that steps break. What is homed before a gear is freed may be
// homed again afterwards.
func breaches(steps []OrderStep, n *Network) []Breach {
	out := []Breach{}
	for _, r := range rules {
		for j, b := range steps {
			if b.Does != r.then {
				continue
			}
			for i, a := range steps {
				if a.Does != r.first || n.Needs(j, i) {
					continue
				}
				if r.first == Balance && slices.ContainsFunc(steps, func(s OrderStep) bool {
					k := slices.IndexFunc(steps, func(x OrderStep) bool { return x.ID == s.ID })
					return s.Does == Home && n.Needs(k, i)
				}) {
					continue
				}
				out = append(out, Breach{a.ID, b.ID, fmt.Sprintf("“%s” does not wait for “%s”: %s.", b.Name,
					a.Name, r.why)})
			}
		}
	}
	return append(out, underPower(steps, n)...)
}

// underPower are the steps with hands at the machine that may be done while it has power: none that it
// had before, and none that was isolated since. And those that want power and may have none.
func underPower(steps []OrderStep, n *Network) []Breach {
	var out []Breach
	does := func(of []Doing, i int) bool { return slices.Contains(of, steps[i].Does) }
	// between is whether a step of these kinds surely comes after one and before the other.
	between := func(of []Doing, first, then int) bool {
		return slices.ContainsFunc(n.order, func(k int) bool {
			return does(of, k) && n.Needs(k, first) && n.Needs(then, k)
		})
	}
	for j, x := range steps {
		for i, y := range steps {
			switch {
			case n.Needs(i, j):
			case does(byHand, j) && does(powered, i) && !between([]Doing{Isolate}, i, j):
				out = append(out,
					Breach{y.ID, x.ID,
						fmt.Sprintf("“%s” may be done under power: do it before “%s”, or isolate it between the two.",
							x.Name, y.Name)})
			case does(wantsPower, j) && y.Does == Isolate && !between(powered, i, j):
				out = append(out,
					Breach{y.ID, x.ID,
						fmt.Sprintf("“%s” may have no power: do it before “%s”, or put it on again between the two.",
							x.Name, y.Name)})
			}
		}
	}
	return out
}

// needed tells whether a step has to wait for another by a rule or by its nature.
func needed(first, then Doing) bool {
	return first == Unload || slices.Contains(natural[first], then) ||
		slices.ContainsFunc(rules, func(r rule) bool { return r.first == first && r.then == then })
}
