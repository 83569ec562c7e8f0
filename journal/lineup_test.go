package journal_test

import (
	"strings"
	"testing"

	"keenarc/core/clock"
	"keenarc/core/limit"
	"keenarc/core/path"
	"keenarc/examples"
	"keenarc/journal"
)

// A working jerk of the day counts like its speed and its acceleration: paths are held against it.
func TestTheJerkOfADay(t *testing.T) {
	r := examples.Rigs()["plank"]
	i := r.Index("track")
	of := func(jerk float64) *journal.LineUp {
		a := r.Axes[i]
		d := journal.DayAxis{Soft: [2]float64{a.Min, a.Max}, Working: a.Working}
		d.Working.Jerk = jerk
		return &journal.LineUp{Axes: map[string]journal.DayAxis{"track": d}}
	}
	p := path.New(r, clock.Rate{Num: 24, Den: 1}, nil)
	for frame, v := range map[float64]float64{0: 200, 48: 500} {
		q, err := p.Apply(r, path.Edit{Op: "set", Frame: frame, Values: map[string]float64{"track": v}})
		if err != nil {
			t.Fatal(err)
		}
		p = q
	}
	for jerk, over := range map[float64]bool{0: false, 10: true, r.Axes[i].Rated.Jerk: false} {
		on, err := of(jerk).On(r)
		if err != nil {
			t.Fatal(err)
		}
		_, a, err := limit.Analyse(p, on)
		if err != nil {
			t.Fatal(err)
		}
		if got := len(a.Sentences) > 0 && strings.Contains(a.Sentences[0], "over its jerk"); got != over {
			t.Errorf("a jerk of %g a day: %v", jerk, a.Sentences)
		}
	}
	for _, jerk := range []float64{-1, r.Axes[i].Rated.Jerk * 1.01} {
		if _, err := of(jerk).On(r); err == nil || !strings.Contains(err.Error(), "track.jerk") {
			t.Errorf("a jerk of %g: %v", jerk, err)
		}
		if fits, says := of(jerk).Fitted(r); fits == nil || says == "" || fits.Axes["track"].Working.Jerk != 0 {
			t.Errorf("a jerk of %g is kept: %+v, %q", jerk, fits, says)
		}
	}
}
