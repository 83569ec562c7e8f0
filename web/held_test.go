package web

import (
	"context"
	"testing"
	"time"

	"keenarc/link"
	"keenarc/stage/machine"
)

// What waited on its way is late against what came quickly of late; a clock that drifts or
// slept is got used to, and one word that waited is not what others are held against.
func TestWordsThatWaited(t *testing.T) {
	start := epoch.Add(time.Hour)
	for name, c := range map[string]struct {
		at, took []time.Duration // when each word came, and how far the page's clock was behind then
		late     []time.Duration
	}{
		"even":            {[]time.Duration{0, 50, 100}, []time.Duration{7, 7, 7}, []time.Duration{0, 0, 0}},
		"one that waited": {[]time.Duration{0, 50, 100}, []time.Duration{7, 3007, 7}, []time.Duration{0, 3000, 0}},
		"a server that stood": {[]time.Duration{0, 5000, 9000, 9001, 9050}, []time.Duration{7, 7, 3900, 3850, 7},
			[]time.Duration{0, 0, 3893, 3843, 0}},
		"long after": {[]time.Duration{0, 25_000, 25_050}, []time.Duration{7, 4007, 7},
			[]time.Duration{0, 4000, 0}},
		"a clock that slept": {[]time.Duration{0, 1000, 22_000, 44_000, 66_000}, []time.Duration{7, 5007, 5007, 5007,
			5007}, []time.Duration{0, 5000, 5000, 0, 0}},
		"ahead of ours": {[]time.Duration{0, 50}, []time.Duration{-9000, -8900}, []time.Duration{0, 100}},
	} {
		var q quickest
		for i := range c.at {
			now := start.Add(c.at[i] * time.Millisecond)
			said := now.Sub(epoch) - c.took[i]*time.Millisecond
			if got := q.late(float64(said.Milliseconds()), now); got != c.late[i]*time.Millisecond {
				t.Errorf("%s: word %d is %v late, want %v", name, i, got, c.late[i]*time.Millisecond)
			}
		}
	}
	h := newHeldLine(nil)
	for _, at := range []float64{0, -3, 1e300} {
		if h.quick.late(at, time.Now()) != 0 {
			t.Errorf("a word said at %g is late", at)
		}
	}
}

// thing is what a press keeps going, for tests.
type thing struct{ beats, let int }

func (d *thing) Beat() error { d.beats++; return nil }
func (d *thing) Release()    { d.let++ }

// A press ends for good: let go, silent, or overtaken; its beats are passed on for no other,
// and one at a time is carried out.
func TestAPressEndsForGood(t *testing.T) {
	h := newHeldLine(nil)
	on, carry := make(chan string, 1), make(chan struct{})
	var held func() bool
	begin := func(name string) bool {
		return h.press(t.Context(), machine.Press{}, name, func(_ context.Context, p pressing) {
			held = p.held
			on <- p.name
			<-carry
		})
	}
	if begin("") {
		t.Error("a press without a name is carried out")
	}
	if !begin("a") {
		t.Fatal("a press is not carried out")
	}
	press := <-on
	d := &thing{}
	h.beat("a", 0) // before there is anything to keep going
	h.keeps(press, d)
	h.beat("a", 0)
	h.beat("b", 0)
	h.beat("a", silence/2+time.Millisecond)
	if d.beats != 1 || d.let != 0 || begin("b") {
		t.Errorf("%+v, or a second press is carried out beside it", d)
	}
	h.letGo()
	h.beat("a", 0)
	if d.beats != 1 || d.let != 1 || h.holds("a") {
		t.Errorf("let go: %+v", d)
	}
	carry <- struct{}{}
	h.wg.Wait()
	if !begin("c") {
		t.Fatal("the next press is not carried out")
	}
	press = <-on
	h.letGo()
	late := &thing{}
	if h.keeps(press, late); late.let != 1 {
		t.Error("what was let go before it had begun goes on")
	}
	carry <- struct{}{}
	h.wg.Wait()
	begin("d")
	silent := &thing{}
	h.keeps(<-on, silent)
	if !held() || !h.holds("d") || h.holds("c") {
		t.Error("a press that has just come is not held, or another is")
	}
	h.mu.Lock()
	h.last = h.last.Add(-silence)
	h.mu.Unlock()
	if held() || h.holds("d") {
		t.Error("a silent press is held")
	}
	if h.beat("d", 0); silent.beats != 0 || silent.let != 1 {
		t.Errorf("after its silence: %+v", silent)
	}
	carry <- struct{}{}
	h.wg.Wait()
	// A machine in a hurry bears more of it, on the wall.
	h.bears = link.Silence(4)
	begin("e")
	hurried := &thing{}
	h.keeps(<-on, hurried)
	h.mu.Lock()
	h.last = h.last.Add(-2 * silence)
	h.mu.Unlock()
	if h.beat("e", silence); !held() || hurried.beats != 1 || hurried.let != 0 {
		t.Errorf("in a hurry: %+v", hurried)
	}
	if link.Silence(0) != silence || link.Silence(1) != silence {
		t.Error("in real time it is another")
	}
	carry <- struct{}{}
	h.close()
}
