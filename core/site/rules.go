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
	{Pins, Boot, "lock pins are pulled before power"},
	{Boot, Home, "homing needs its drives"},
	{Mount, Balance, "it is balanced with the camera on"},
	{Fit, Balance, "it is balanced with everything on that will hang there"},
	{Mount, Weights, "counterweights go on after what they hold, or the front flies up"},
	{Weights, Pins, "pins hold the boom until it is in balance"},
	{Balance, Home, "freeing a gear voids its axis's home"},
	{Mount, Tell, "an arm is told what hangs on it, not what will"},
	{Fit, Tell, "an arm is told what hangs on it, not what will"},
	{Home, Tell, "poses mean something once it is homed"},
	{Home, Lens, "marks are taken on a ring that is homed"},
}

var natural = map[Doing][]Doing{
	Lay: {Even, Build, Mount}, Even: {Build, Head, Mount}, Build: {Head, Mount, Boot, Weights, Pins}, Head: {Mount},
	Mount: {Pins, Fit}, Camera: {Weigh, Fit}, Agree: {Even},
}

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
				out = append(out, Breach{a.ID, b.ID, fmt.Sprintf("“%s” does not wait for “%s”: %s.", b.Name, a.Name, r.why)})
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
