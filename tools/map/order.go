package main

import (
	"cmp"
	"maps"
	"slices"
)

// standing lays things on as few floors as their arrows allow, who asks above who answers. What goes
// in a circle cannot be laid so: then as few arrows as can be found run back up, and these are
// returned too.
func standing(things []string, arrows map[arrow]bool) (layers [][]string, up map[arrow]bool) {
	place := map[string]int{}
	for k, t := range line(things, arrows) {
		place[t] = k
	}
	up, down := map[arrow]bool{}, map[arrow]bool{}
	for a := range arrows {
		if place[a.from] > place[a.to] {
			up[a] = true
		} else {
			down[a] = true
		}
	}
	order := slices.Clone(things)
	slices.SortFunc(order, func(a, b string) int { return cmp.Compare(place[b], place[a]) })
	depth := map[string]int{} // from the bottom
	most := 0
	for _, t := range order {
		for a := range down {
			if a.from == t {
				depth[t] = max(depth[t], depth[a.to]+1)
			}
		}
		most = max(most, depth[t])
	}
	layers = make([][]string, most+1)
	for _, t := range things {
		layers[most-depth[t]] = append(layers[most-depth[t]], t)
	}
	return layers, up
}

// line puts things into a line in which few arrows run back, as Eades, Lin and Smyth do ("A fast
// and effective heuristic for the feedback arc set problem", 1993): who answers all the rest goes to
// its end, who is asked by none to its beginning, and of a circle whoever asks most and answers least.
func line(things []string, arrows map[arrow]bool) []string {
	asks, asked := map[string]map[string]bool{}, map[string]map[string]bool{}
	for _, t := range things {
		asks[t], asked[t] = map[string]bool{}, map[string]bool{}
	}
	for a := range arrows {
		asks[a.from][a.to], asked[a.to][a.from] = true, true
	}
	var first, last []string
	left := slices.Clone(things)
	take := func(t string) {
		left = slices.DeleteFunc(left, func(x string) bool { return x == t })
		for o := range maps.Keys(asks[t]) {
			delete(asked[o], t)
		}
		for o := range maps.Keys(asked[t]) {
			delete(asks[o], t)
		}
	}
	for len(left) > 0 {
		if k := slices.IndexFunc(left, func(t string) bool { return len(asks[t]) == 0 }); k >= 0 {
			last = append(last, left[k])
			take(left[k])
			continue
		}
		if k := slices.IndexFunc(left, func(t string) bool { return len(asked[t]) == 0 }); k >= 0 {
			first = append(first, left[k])
			take(left[k])
			continue
		}
		t := slices.MaxFunc(left, func(a, b string) int { // of equals the first
			return cmp.Compare(len(asks[a])-len(asked[a]), len(asks[b])-len(asked[b]))
		})
		first = append(first, t)
		take(t)
	}
	slices.Reverse(last)
	return append(first, last...)
}

// untangled moves things along their floors so that their arrows cross less: each to the middle of
// those that it is joined to, up and down a few times.
func untangled(layers [][]string, arrows map[arrow]bool) [][]string {
	joined := map[string][]string{}
	for _, a := range sorted(arrows) {
		joined[a.from] = append(joined[a.from], a.to)
		joined[a.to] = append(joined[a.to], a.from)
	}
	at := map[string]float64{}
	spread := func(l []string) {
		for k, t := range l {
			at[t] = (float64(k) + 0.5) / float64(len(l))
		}
	}
	layers = slices.Clone(layers)
	for k := range layers {
		layers[k] = slices.Clone(layers[k])
		spread(layers[k])
	}
	for round := range 8 {
		for k := range layers {
			l := layers[k]
			if round%2 == 1 {
				l = layers[len(layers)-1-k]
			}
			middle := map[string]float64{}
			for _, t := range l {
				sum := at[t]
				for _, o := range joined[t] {
					sum += at[o]
				}
				middle[t] = sum / float64(1+len(joined[t]))
			}
			slices.SortStableFunc(l, func(a, b string) int { return cmp.Compare(middle[a], middle[b]) })
			spread(l)
		}
	}
	return layers
}
