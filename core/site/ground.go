package site

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"keenarc/core/mistake"
)

// RailLength is a rail section that one owns, so many of it.
type RailLength struct {
	MM    float64 `json:"mm"`
	Count int     `json:"count"`
}

// RailNeed is what a move asks of the rails: how far the carriage goes, how long it is, and
// how much is left beyond it on each side.
type RailNeed struct {
	RunMM       float64 `json:"run_mm"`
	FootprintMM float64 `json:"footprint_mm"`
	MarginMM    float64 `json:"margin_mm" doc:"on each side, to stop in"`
}

// NeedMM is the rail that a track needs.
func (t RailNeed) NeedMM() float64 { return t.RunMM + t.FootprintMM + 2*t.MarginMM }

const mostTrackMM = 100_000

// Lengths are told apart to a tenth of a millimetre: two of 4 ft are 8 ft. mostCells bounds the work.
const (
	tenthMM   = 0.1
	mostCells = 200_000
)

// Sections are the fewest of those owned that reach so far, and of these the shortest.
func Sections(needMM float64, owned []RailLength) (used []RailLength, totalMM float64, err error) {
	if !(needMM > 0 && needMM <= mostTrackMM) {
		return nil, 0, mistake.In("run_mm", "give a run above zero, up to a hundred metres with all that goes "+
			"beyond it", "the track needs %g mm", needMM)
	}
	if len(owned) > 12 {
		return nil, 0, mistake.In("owned", "give at most 12 lengths", "there are %d", len(owned))
	}
	sum := 0.0
	for i, l := range owned {
		if !(l.MM >= 1 && l.MM <= mostTrackMM) || l.Count < 0 || l.Count > 100 {
			return nil, 0, mistake.In(fmt.Sprintf("owned[%d]", i),
				"give millimetres above zero, up to a hundred metres, and how many there are, up to 100",
				"there are %d of %g mm", l.Count, l.MM)
		}
		sum += l.MM * float64(l.Count)
	}
	if sum < needMM-tenthMM/2 {
		return nil, 0, mistake.In("owned", fmt.Sprintf("find %.0f mm more", math.Ceil(needMM-sum-tenthMM/2)),
			"all sections together are %.0f mm and the track needs %.0f", math.Floor(sum), math.Ceil(needMM-tenthMM/2))
	}
	// In tenths of a millimetre where that is not too fine; else in whole ones, each length cut short.
	for _, step := range []float64{tenthMM, 1} {
		if used, totalMM = sections(needMM, owned, step); used != nil {
			return used, totalMM, nil
		}
	}
	return nil, 0, mistake.In("owned", "leave out lengths that are not used",
		"these lengths, together, are too many to choose from")
}

// sections are those of fewest pieces, in whole steps; nil where there would be too much to look at or
// nothing is found.
func sections(needMM float64, owned []RailLength, step float64) (used []RailLength, totalMM float64) {
	whole := func(mm float64) int { // a tenth is told to its half; a whole millimetre is cut short
		if step < 1 {
			return int(math.Round(mm / step))
		}
		return int(math.Floor(mm + 1e-9))
	}
	unit, longest := 0, 0
	for _, l := range owned {
		unit, longest = gcd(unit, whole(l.MM)), max(longest, whole(l.MM))
	}
	need := int(math.Ceil((needMM - tenthMM/2) / step))
	most := (need + longest) / unit
	if most > mostCells {
		return nil, 0
	}
	// The fewest pieces for every length up to one section over what is needed.
	pieces := make([]int, most+1)
	for i := range pieces {
		pieces[i] = math.MaxInt32
	}
	pieces[0] = 0
	took := make([][]int32, len(owned)) // how many of a length were taken last, by length
	for k, l := range owned {
		by := whole(l.MM) / unit
		took[k] = make([]int32, most+1)
		was := slices.Clone(pieces)
		for x := range pieces {
			for c := 1; c <= l.Count && c*by <= x; c++ {
				if n := was[x-c*by] + c; n < pieces[x] {
					pieces[x], took[k][x] = n, int32(c)
				}
			}
		}
	}
	best := -1
	for x := (need + unit - 1) / unit; x <= most; x++ {
		if pieces[x] < math.MaxInt32 && (best < 0 || pieces[x] < pieces[best]) {
			best = x
		}
	}
	if best < 0 {
		return nil, 0
	}
	used = []RailLength{}
	for k, x := len(owned)-1, best; k >= 0; k-- {
		if c := int(took[k][x]); c > 0 {
			used = append(used, RailLength{owned[k].MM, c})
			totalMM += owned[k].MM * float64(c)
			x -= c * whole(owned[k].MM) / unit
		}
	}
	slices.SortFunc(used, func(a, b RailLength) int { return cmp.Compare(b.MM, a.MM) })
	return used, totalMM
}

func gcd(a, b int) int {
	for b != 0 {
		a, b = b, a%b
	}
	return a
}

// Support is one place where the rails rest: how far along, and the floor's height under
// either rail, as measured against any level line.
type Support struct {
	AtMM    float64  `json:"at_mm"`
	LeftMM  *float64 `json:"left_mm,omitempty" doc:"the floor's height under the left rail"`
	RightMM *float64 `json:"right_mm,omitempty"`
}

// LevelRules is how level rails have to be, and what they are packed with.
type LevelRules struct {
	GaugeMM   float64   `json:"gauge_mm" doc:"between the rails"`
	SlopeMMPM float64   `json:"slope_mm_per_m" doc:"the most that is borne along"`
	TwistMMPM float64   `json:"twist_mm_per_m" doc:"the most that one rail may rise against the other along a metre"`
	CrossMMPM float64   `json:"cross_mm_per_m,omitempty" doc:"the most that is borne across, by a metre of gauge; as along where left out"`
	PackersMM []float64 `json:"packers_mm" doc:"the thicknesses that there are"`
}

// across is what is borne across.
func (l LevelRules) across() float64 {
	if l.CrossMMPM > 0 {
		return l.CrossMMPM
	}
	return l.SlopeMMPM
}

// crossed is how much one rail stands over the other, by a metre of gauge.
func (l LevelRules) crossed(left, right Packed) float64 {
	return (left.OffMM - right.OffMM) / l.GaugeMM * 1000
}

// Packed is one rail at one support: how much goes under it, of which packers, and by how
// much it then stands over the level line.
type Packed struct {
	NeedMM  float64   `json:"need_mm"`
	Packers []float64 `json:"packers_mm"`
	OffMM   float64   `json:"off_mm"`
}

// Bay is the stretch between two supports, as packed. CrossMMPM is the worse of its two ends'.
type Bay struct {
	FromMM    float64 `json:"from_mm"`
	ToMM      float64 `json:"to_mm"`
	SlopeMMPM float64 `json:"slope_mm_per_m" doc:"the steeper rail's, signed"`
	TwistMMPM float64 `json:"twist_mm_per_m"`
	CrossMMPM float64 `json:"cross_mm_per_m"`
	OK        bool    `json:"ok"`
}

// Packing is all supports, left and right, and what is left between them.
type Packing struct {
	TopMM  float64        `json:"top_mm" doc:"the height that the rails come to"`
	Left   []Packed       `json:"left"`
	Right  []Packed       `json:"right"`
	Bays   []Bay          `json:"bays"`
	Count  map[string]int `json:"count" doc:"how many of each thickness, all in all"`
	OK     bool           `json:"ok"`
	Bare   []Bay          `json:"bare" doc:"what it would be without packers"`
	WorstS float64        `json:"worst_slope_mm_per_m"`
	WorstT float64        `json:"worst_twist_mm_per_m"`
	WorstC float64        `json:"worst_cross_mm_per_m"`
}

// mostPile is more than anybody lays one on another.
const mostPile = 30

// mostPackMM is more than anybody packs up; what needs more is built up first.
const mostPackMM = 500

// Pack brings rails to the height of the highest support, with the packers that there
// are: at each rail a pile of the fewest pieces next to what is missing, below or above it
// as makes the rails straightest.
func Pack(at []Support, l LevelRules) (*Packing, error) {
	if len(at) < 2 {
		return nil, mistake.In("supports", "measure under both ends at least", "there are %d", len(at))
	}
	if len(at) > 500 {
		return nil, mistake.In("supports", "give at most 500", "there are %d", len(at))
	}
	if !(l.GaugeMM > 0 && l.GaugeMM <= 1e5 && l.SlopeMMPM > 0 && l.TwistMMPM > 0 && l.CrossMMPM >= 0) {
		return nil, mistake.In("level", "give gauge and tolerances above zero",
			"a gauge of %g mm, %g mm/m along, %g mm/m of twist", l.GaugeMM, l.SlopeMMPM, l.TwistMMPM)
	}
	piles, err := pileUp(l.PackersMM)
	if err != nil {
		return nil, err
	}
	p := &Packing{TopMM: math.Inf(-1), Count: map[string]int{}, OK: true}
	for i, s := range at {
		for _, of := range []struct {
			name string
			v    *float64
		}{{"left", s.LeftMM}, {"right", s.RightMM}} {
			side, h := of.name, of.v
			if h == nil || !(math.Abs(*h) <= 1e5) {
				return nil, mistake.In(fmt.Sprintf("supports[%d].%s_mm", i, side), "measure there, too",
					"the support at %g mm has no height under its %s rail", s.AtMM, side)
			}
			p.TopMM = max(p.TopMM, *h)
		}
		if i > 0 && !(s.AtMM > at[i-1].AtMM) {
			return nil, mistake.In(fmt.Sprintf("supports[%d].at_mm", i), "give them one after another along the track",
				"the support at %g mm follows that at %g", s.AtMM, at[i-1].AtMM)
		}
	}
	sides := make([][2][]Packed, len(at))
	zero := make([]Packed, 0, 2*len(at))
	for i, s := range at {
		for k, h := range []float64{*s.LeftMM, *s.RightMM} {
			need := p.TopMM - h
			if need > mostPackMM {
				return nil, mistake.In("supports", "build it up first, or measure again",
					"%.0f mm would have to go under one rail", need)
			}
			if sides[i][k] = piles.around(need); slices.ContainsFunc(sides[i][k], func(x Packed) bool {
				return len(x.Packers) > mostPile
			}) {
				return nil, mistake.In("packers_mm", "have thicker ones, or build it up first",
					"over %d packers would lie one on another at %g mm", mostPile, s.AtMM)
			}
			zero = append(zero, Packed{OffMM: -need})
		}
	}
	for i, x := range straightest(at, sides, l) {
		p.Left, p.Right = append(p.Left, sides[i][0][x[0]]), append(p.Right, sides[i][1][x[1]])
		for _, q := range []Packed{p.Left[i], p.Right[i]} {
			for _, t := range q.Packers {
				p.Count[fmt.Sprintf("%g", t)]++
			}
		}
	}
	for i := 1; i < len(at); i++ {
		b := bay(at[i-1], at[i], p.Left[i-1], p.Left[i], p.Right[i-1], p.Right[i], l)
		p.Bays = append(p.Bays, b)
		p.Bare = append(p.Bare, bay(at[i-1], at[i], zero[2*i-2], zero[2*i], zero[2*i-1], zero[2*i+1], l))
		p.OK = p.OK && b.OK
		p.WorstS, p.WorstT = max(p.WorstS, math.Abs(b.SlopeMMPM)), max(p.WorstT, math.Abs(b.TwistMMPM))
		p.WorstC = max(p.WorstC, math.Abs(b.CrossMMPM))
	}
	return p, nil
}

// straightest chooses a pile under every rail so that the worst bay, as a share of what is
// borne, is as good as it gets; of equal ways, that which lies nearest to the line.
func straightest(at []Support, sides [][2][]Packed, l LevelRules) [][2]int {
	type way struct {
		worst, off float64
		from       [2]int
	}
	ways := make([]map[[2]int]way, len(at))
	for i := range at {
		ways[i] = map[[2]int]way{}
		for x, left := range sides[i][0] {
			for y, right := range sides[i][1] {
				here := math.Abs(left.OffMM) + math.Abs(right.OffMM)
				across := math.Abs(l.crossed(left, right)) / l.across()
				best := way{worst: across, off: here}
				if i > 0 {
					best.worst = math.Inf(1)
					for fx := range sides[i-1][0] { // in order, so that equal ways are chosen alike
						for fy := range sides[i-1][1] {
							was := ways[i-1][[2]int{fx, fy}]
							b := bay(at[i-1], at[i], sides[i-1][0][fx], left, sides[i-1][1][fy], right, l)
							w := way{max(was.worst, across, math.Abs(b.SlopeMMPM)/l.SlopeMMPM,
								math.Abs(b.TwistMMPM)/l.TwistMMPM), was.off + here, [2]int{fx, fy}}
							if w.worst < best.worst-1e-9 || w.worst <= best.worst+1e-9 && w.off < best.off-1e-9 {
								best = w
							}
						}
					}
				}
				ways[i][[2]int{x, y}] = best
			}
		}
	}
	last, at0 := len(at)-1, [2]int{}
	best := way{worst: math.Inf(1)}
	for x := range sides[last][0] {
		for y := range sides[last][1] {
			if w := ways[last][[2]int{x, y}]; w.worst < best.worst-1e-9 || w.worst <= best.worst+1e-9 &&
				w.off < best.off-1e-9 {
				best, at0 = w, [2]int{x, y}
			}
		}
	}
	out := make([][2]int, len(at))
	for i := last; i >= 0; i-- {
		out[i] = at0
		at0 = ways[i][at0].from
	}
	return out
}

// bay is what is between two supports.
func bay(a, b Support, la, lb, ra, rb Packed, l LevelRules) Bay {
	m := (b.AtMM - a.AtMM) / 1000
	left, right := (lb.OffMM-la.OffMM)/m, (rb.OffMM-ra.OffMM)/m
	x := Bay{FromMM: a.AtMM, ToMM: b.AtMM, SlopeMMPM: left, TwistMMPM: left - right}
	if math.Abs(right) > math.Abs(left) {
		x.SlopeMMPM = right
	}
	if x.CrossMMPM = l.crossed(la, ra); math.Abs(l.crossed(lb, rb)) > math.Abs(x.CrossMMPM) {
		x.CrossMMPM = l.crossed(lb, rb)
	}
	x.OK = math.Abs(x.SlopeMMPM) <= l.SlopeMMPM+1e-9 && math.Abs(x.TwistMMPM) <= l.TwistMMPM+1e-9 &&
		math.Abs(x.CrossMMPM) <= l.across()+1e-9
	return x
}

// piles are heights that can be packed, in hundredths of a millimetre, each with the
// thickness that goes on last.
type piles struct {
	last  []int
	count []int
}

func pileUp(sizes []float64) (*piles, error) {
	if len(sizes) > 40 {
		return nil, mistake.In("packers_mm", "give at most 40 thicknesses", "there are %d", len(sizes))
	}
	top := mostPackMM*100 + 5000
	p := &piles{make([]int, top+1), make([]int, top+1)}
	for h := range p.count {
		p.count[h] = math.MaxInt32
	}
	p.count[0] = 0
	for i, t := range sizes {
		if !(t >= 0.05 && t <= mostPackMM) {
			return nil, mistake.In(fmt.Sprintf("packers_mm[%d]", i), "give thicknesses from 0.05 mm",
				"there is one of %g mm", t)
		}
	}
	for h := range p.count {
		for _, t := range sizes {
			c := int(math.Round(t * 100))
			if c <= h && p.count[h-c] < math.MaxInt32 && p.count[h-c]+1 < p.count[h] {
				p.count[h], p.last[h] = p.count[h-c]+1, c
			}
		}
	}
	return p, nil
}

// around are the piles next to a height, below and above it: each of the fewest pieces, the
// largest first. One that fits is the only one.
func (p *piles) around(mm float64) []Packed {
	want := int(math.Round(mm * 100))
	var out []Packed
	for h := want; h >= 0; h-- {
		if p.count[h] < math.MaxInt32 {
			out = append(out, p.pile(h, mm))
			if h == want {
				return out
			}
			break
		}
	}
	for h := want + 1; h < len(p.count); h++ {
		if p.count[h] < math.MaxInt32 {
			return append(out, p.pile(h, mm))
		}
	}
	return out
}

func (p *piles) pile(h int, need float64) Packed {
	x := Packed{NeedMM: need, Packers: []float64{}, OffMM: float64(h)/100 - need}
	for ; h > 0 && len(x.Packers) <= mostPile; h -= p.last[h] {
		x.Packers = append(x.Packers, float64(p.last[h])/100)
	}
	slices.SortFunc(x.Packers, func(a, b float64) int { return int(100 * (b - a)) })
	return x
}

// Swing is what turns behind a column: how far its tail reaches, how high the pivot is,
// how far the front can rise and how deep things hang there.
type Swing struct {
	TailM    float64 `json:"tail_m"`
	PivotM   float64 `json:"pivot_m"`
	FrontUpD float64 `json:"front_up_deg"`
	HangsM   float64 `json:"hangs_m"`
	RoomM    float64 `json:"room_m" doc:"measured from the column to the nearest thing behind"`
	KeepM    float64 `json:"keep_m" doc:"what stays free for people to pass"`
}

// ClearM is what is left behind the tail, and under it when the front is up; below 0: it
// strikes.
func (s Swing) ClearM() (behind, under float64) {
	up := s.FrontUpD * math.Pi / 180
	return s.RoomM - s.TailM - s.KeepM, s.PivotM - s.TailM*math.Sin(up) - s.HangsM
}

// Base is what stands on the floor: its mass, on how many feet or pads, of which size, and
// how much more than its share the worst of them takes.
type Base struct {
	MassKg  float64 `json:"mass_kg"`
	Feet    int     `json:"feet"`
	PadCM2  float64 `json:"pad_cm2"`
	Worst   float64 `json:"worst_share" doc:"1: all feet alike; 2: one takes twice its share"`
	FloorKN float64 `json:"floor_kn_per_m2" doc:"what the floor bears, by those who answer for it; 0: not known"`
}

// KN is the force on the worst foot, and its pressure on the pad in kN/m².
func (b Base) KN() (kn, knPerM2 float64, err error) {
	if !(b.MassKg > 0 && b.Feet > 0 && b.PadCM2 > 0 && b.Worst >= 1) {
		return 0, 0, mistake.In("base", "give mass, feet and pad above zero, and 1 or more as the worst foot's share",
			"%g kg on %d feet of %g cm², the worst with %g of its share", b.MassKg, b.Feet, b.PadCM2, b.Worst)
	}
	kn = b.MassKg * 9.80665 / float64(b.Feet) * b.Worst / 1000
	return kn, kn / (b.PadCM2 / 1e4), nil
}
