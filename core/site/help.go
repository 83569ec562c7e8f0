package site

import (
	"cmp"
	"fmt"
	"slices"
)

// unhurried are steps in which people are under a load, or on which it hangs whether one stays up: no
// minutes are sought there.
var unhurried = map[Doing]bool{Even: true, Weigh: true, Mount: true, Line: true, Pins: true, PinIn: true, PinOut: true,
	Weights: true, Balance: true, Isolate: true, Release: true, Tell: true, Home: true}

// onWheels are the kinds that are also rolled in, without rails: a slider is its own.
var onWheels = map[string]bool{"crane": true, "arm": true}

// mostHelps are offered, each with a gain of a minute at least.
const mostHelps = 4

// help is what would make it ready earlier: more hands, no rails, a wait that no rule
// asks for, and where minutes saved count.
//
//revive:disable-next-line:function-length one kind of help after another
func (v *OrderSheet) help(o *Order, n *Network, learnt map[Doing]Learnt, done []Done) error {
	now := max(v.NowMin, 0)
	try := func(says string, setup Setup, change func(steps []OrderStep)) {
		p := &OrderPlan{Name: says, Setup: setup, Steps: slices.Clone(o.Steps)}
		for i := range p.Steps {
			p.Steps[i].After = slices.Clone(p.Steps[i].After)
		}
		change(p.Steps)
		pn, ps, err := network(p.Steps, setup.Crew)
		if err != nil {
			return
		}
		same := o.same(p.Steps, done)
		s, err := pn.Crewed(pn.expect(ps, now, same), setup.Crew, now, same)
		if err != nil || s.Ready > v.Course.DrawnMin-1 || len(breaches(p.Steps, pn)) > len(v.Breaks) {
			return
		}
		ready := v.Course.ReadyMin - (v.Course.DrawnMin - s.Ready)
		v.Helps = append(v.Helps, Helps{says, ready, Clock(v.Begins, ready), p})
	}
	more := o.Setup
	more.Crew++
	hands := map[string]bool{}
	for i, x := range o.Steps {
		if x.Ended != nil {
			continue
		}
		if x.Shares && x.People > 0 && !hands[x.Thread] {
			hands[x.Thread] = true
			try("one more pair of hands on the "+x.Thread, more, func(steps []OrderStep) {
				for k := range steps {
					if y := &steps[k]; y.Thread == x.Thread && y.Shares && y.Ended == nil && !unhurried[y.Does] {
						share := float64(y.People) / float64(y.People+1)
						y.People, y.Minutes, y.P80 = y.People+1, y.Minutes*share, y.P80*share
					}
				}
			})
		}
		if len(hands) == 0 && i == len(o.Steps)-1 {
			try("one more pair of hands", more, func([]OrderStep) {})
		}
		if x.Began == nil {
			for _, j := range n.after[i] {
				first := o.Steps[j]
				if !needed(first.Does, x.Does) && first.Ended == nil {
					try(fmt.Sprintf("“%s” without waiting for “%s”", x.Name, first.Name), o.Setup,
						func(steps []OrderStep) {
							steps[i].After = slices.DeleteFunc(steps[i].After, func(id string) bool {
								return id == first.ID
							})
						})
				}
			}
		}
		if v.Course.Slots[i].Critical && x.Minutes > 12 && x.People > 0 && !unhurried[x.Does] {
			try(fmt.Sprintf("ten minutes saved on “%s”", x.Name), o.Setup, func(steps []OrderStep) {
				steps[i].Minutes -= 10
				steps[i].P80 = max(steps[i].P80-10, steps[i].Minutes)
			})
		}
	}
	if lay := slices.IndexFunc(o.Steps, func(s OrderStep) bool {
		return s.Does == Lay && s.Began == nil
	}); o.Setup.Rails && lay >= 0 && onWheels[o.Setup.Kind] {
		wheels := o.Setup
		wheels.Rails = false
		try("wheels instead of rails", wheels, func(steps []OrderStep) {
			for k := range steps {
				if y := &steps[k]; (y.Does == Lay || y.Does == Even) && y.Ended == nil {
					y.Minutes, y.P80, _, _ = wheels.Estimate(y.Does, learnt)
				}
			}
		})
	}
	byReady := func(a, b Helps) int { return cmp.Compare(a.ReadyMin, b.ReadyMin) }
	slices.SortStableFunc(v.Helps, byReady)
	v.Helps = v.Helps[:min(len(v.Helps), mostHelps)]
	// The best of them as they are when they are held beside the plan.
	kept := []Helps{}
	for _, h := range v.Helps {
		pn, ps, err := network(h.Plan.Steps, h.Plan.Setup.Crew)
		if err != nil {
			return err
		}
		if h.ReadyMin, _, err = pn.Forecast(ps, h.Plan.Setup.Crew, now, o.same(h.Plan.Steps, done)); err != nil {
			return err
		}
		if h.Ready = Clock(v.Begins, h.ReadyMin); h.ReadyMin <= v.Course.ReadyMin-1 {
			kept = append(kept, h)
		}
	}
	slices.SortStableFunc(kept, byReady)
	v.Helps = kept
	return nil
}
