package site

import (
	"fmt"
	"maps"
	"math"
	"slices"
	"sync"

	"gonum.org/v1/gonum/stat"
	"gonum.org/v1/gonum/stat/distuv"
)

// Took is how long a step really took on a day that is over.
type Took struct {
	Does    Doing   `json:"does"`
	Minutes float64 `json:"minutes"`
	Date    string  `json:"date"`
	Setup   Setup   `json:"setup"`
}

// Learnt is how long something takes, and how many days that rests on.
type Learnt struct {
	Does  Doing   `json:"does"`
	P50   float64 `json:"p50_minutes"`
	P80   float64 `json:"p80_minutes"`
	Days  int     `json:"days"`
	Same  bool    `json:"same" doc:"days with the same rig, track, ground and crew; else with another crew"`
	Took  []Took  `json:"took"`
	Rests string  `json:"rests"`
}

// Enough is how many days are needed before they count for more than a rule of thumb.
const Enough = 3

// Learn is what past days say of every doing, for a set-up: of days with the same rig,
// track, ground and crew where there are enough, else of those with any crew.
func Learn(took []Took, s Setup) map[Doing]Learnt {
	out := map[Doing]Learnt{}
	for _, d := range Doings {
		var same, alike []Took
		for _, x := range took {
			if x.Does != d || x.Setup.Kind != s.Kind || x.Setup.Rails != s.Rails || x.Setup.Ground != s.Ground ||
				!(x.Minutes > 0) {
				continue
			}
			alike = append(alike, x)
			if x.Setup.Crew == s.Crew {
				same = append(same, x)
			}
		}
		l := Learnt{Does: d, Same: daysOf(same) >= Enough || len(same) == len(alike)}
		if l.Took = alike; l.Same {
			l.Took = same
		}
		if len(l.Took) == 0 {
			continue
		}
		l.P50, l.P80, l.Days = fourInFive(l.Took)
		l.Rests = fmt.Sprintf("rests on %d days", l.Days)
		switch {
		case l.Days == 1:
			l.Rests = "rests on one day"
		case !l.Same:
			l.Rests += " with other crews"
		}
		if l.Days < Enough {
			l.Rests = "a rule of thumb: one or two days say too little"
		}
		out[d] = l
	}
	return out
}

// daysOf is on how many days something was done.
func daysOf(took []Took) int {
	dates := map[string]bool{}
	for _, x := range took {
		dates[x.Date] = true
	}
	return len(dates)
}

// leastSpread is the least that the logarithm of a step's minutes is taken to vary by: days that took
// the same by chance, or by rounding, do not make the next one certain.
const leastSpread = 0.05

// fourInFive is how long something takes, as likely longer as shorter, and four times in five at the
// most, of what it took on past days; what was done several times on one day counts as one. The
// logarithm of its minutes is normal, of which these few are a sample: for the next one it is wider by
// the t of their number.
func fourInFive(took []Took) (p50, p80 float64, days int) {
	byDay := map[string][]float64{}
	for _, x := range took {
		byDay[x.Date] = append(byDay[x.Date], math.Log(x.Minutes))
	}
	logs := make([]float64, 0, len(byDay))
	for _, date := range slices.Sorted(maps.Keys(byDay)) {
		logs = append(logs, stat.Mean(byDay[date], nil))
	}
	days = len(logs)
	mean := stat.Mean(logs, nil)
	if p50 = math.Exp(mean); days < 2 {
		return p50, p50 * math.Exp(leastSpread), days
	}
	n := float64(days)
	spread := max(stat.StdDev(logs, nil), leastSpread) * math.Sqrt(1+1/n)
	return p50, math.Exp(mean + spread*studentP80(days)), days
}

// studentP80 is what lies over four fifths of Student's t for so many days, from 2 on.
func studentP80(days int) float64 {
	of := students()
	return of[min(days, len(of)-1)]
}

// students are those, by days; of more it is as good as normal.
var students = sync.OnceValue(func() []float64 {
	of := make([]float64, 200)
	for days := 2; days < len(of); days++ {
		of[days] = distuv.StudentsT{Mu: 0, Sigma: 1, Nu: float64(days - 1)}.Quantile(0.8)
	}
	return of
})

// thumb is what a step takes where nothing was learnt: minutes with so many people, on a
// stage floor.
type thumb struct {
	minutes float64
	people  int
	shares  bool
}

// thumbs are rules of thumb by kind of rig. They are guesses to begin with, meant to be
// changed, and give way to what was learnt.
var thumbs = map[string]map[Doing]thumb{
	"slider": {Unload: {15, 2, true}, Lay: {12, 1, true}, Even: {12, 1, false}, Build: {10, 1, false},
		Head: {12, 1, false}, Cable: {20, 1, true}, Boot: {10, 1, false}, Mount: {15, 2, false}, Balance: {9, 1, false},
		Home: {8, 1, false}},
	"crane": {Unload: {35, 4, true}, Lay: {40, 3, true}, Even: {30, 2, false}, Build: {45, 4, true},
		Head: {20, 2, false}, Cable: {30, 1, true}, Boot: {15, 1, false}, Mount: {20, 2, false}, Weights: {15, 2,
			false}, Balance: {15, 1, false}, Home: {12, 1, false}},
	"arm": {Unload: {30, 4, true}, Lay: {45, 3, true}, Even: {35, 2, false}, Build: {40, 4, true},
		Head: {15, 2, false}, Cable: {30, 1, true}, Boot: {20, 1, false}, Fit: {15, 1, false}, Mount: {20, 2, false},
		Tell: {12, 1, false}, Home: {10, 1, false}},
	"model mover": {Unload: {10, 1, true}, Lay: {15, 1, true}, Even: {10, 1, false}, Build: {20, 1, false},
		Cable: {12, 1, true}, Boot: {6, 1, false}, Mount: {15, 1, false}, Home: {6, 1, false}},
}

// common to every kind.
var common = map[Doing]thumb{Agree: {10, 0, false}, Camera: {30, 1, false}, Weigh: {10, 1, false}, Pins: {3, 1, false},
	PinIn: {2, 1, false}, PinOut: {2, 1, false},
	Line: {3, 1, false}, Isolate: {2, 1, false}, Release: {2, 1, false}, Fit: {12, 1, false}, Lens: {12, 1, false},
	Other: {10, 1, false}}

// Estimate is how long a doing takes in a set-up: learnt, or by rule of thumb.
func (s Setup) Estimate(d Doing, learnt map[Doing]Learnt) (p50, p80 float64, people int, shares bool) {
	t, ok := thumbs[s.Kind][d]
	if !ok {
		if t, ok = common[d]; !ok {
			t = thumb{10, 1, false}
		}
	}
	people, shares = min(t.people, s.Crew), t.shares
	if l, ok := learnt[d]; ok && l.Days >= Enough {
		return l.P50, l.P80, people, shares
	}
	p50 = t.minutes
	switch {
	case !s.Rails && d == Lay:
		p50 /= 3 // rolled into place
	case !s.Rails && d == Even:
		p50 /= 2
	}
	switch worse := d == Even || d == Lay; {
	case s.Ground == "uneven" && worse:
		p50 *= 1.5
	case s.Ground == "outdoors" && (worse || d == Cable || d == Unload):
		p50 *= 1.6
	}
	if people < t.people { // fewer carry longer
		p50 *= float64(t.people) / float64(people)
	}
	return p50, p50 * 1.35, people, shares
}

func tenth(v float64) float64 { return float64(int(v*10+0.5)) / 10 }
