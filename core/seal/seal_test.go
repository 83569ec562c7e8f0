package seal

import (
	"context"
	"errors"
	"math"
	"math/big"
	"math/rand/v2"
	"os"
	"os/exec"
	"strings"
	"testing"

	"keenarc/core/clock"
	"keenarc/core/curve"
	"keenarc/core/effort"
	"keenarc/core/known/fixture"
	"keenarc/core/limit"
	"keenarc/core/path"
	"keenarc/core/rig"
)

// alone is a rig as the one machine of a shot, whole as the rig that is made of it.
func alone(r *rig.Rig) []rig.Placed { return []rig.Placed{{Name: "slider", Rig: r}} }

func whole(t testing.TB, r *rig.Rig) *rig.Rig {
	w, err := rig.Join(alone(r))
	if err != nil {
		t.Fatal(err)
	}
	return w
}

func demo(t testing.TB) (*path.Path, *rig.Rig) {
	r := whole(t, fixture.Slider())
	p := path.New(r, clock.Rate{Num: 24, Den: 1}, map[string]float64{"slider/roll": 0.25})
	for _, k := range []struct{ f, track, pan, tilt, focus float64 }{{0, 120, 24, -3, 160}, {70, 520, 9, -5.5, 140},
		{150, 980, -12, -4, 130}, {240, 1340, -26, 1.5, 150}} {
		q, err := p.Apply(r, path.Edit{Op: "set", Frame: k.f, Values: map[string]float64{"track": k.track, "pan": k.pan,
			"tilt": k.tilt, "focus": k.focus}})
		if err != nil {
			t.Fatal(err)
		}
		p = q
	}
	return p, fixture.Slider()
}

func TestTableIsThePath(t *testing.T) {
	p, r := demo(t)
	tab, _, err := Make(context.Background(), p, alone(r))
	if err != nil {
		t.Fatal(err)
	}
	m, _ := path.Compile(p, whole(t, r))
	if tab.Ticks() != 240*16+1 {
		t.Fatalf("%d ticks", tab.Ticks())
	}
	for i, u := range tab.Units {
		half := float64(u.Den) / float64(u.Num) / (1 << 17)
		for k, s := range tab.Steps[i] {
			want := m.Curves[i].At(float64(k) / 16).P
			if d := math.Abs(Value(s, u) - want); d > half*(1+1e-6)+1e-12 {
				t.Fatalf("%s tick %d is off by %g, at most %g", tab.Axes[i], k, d, half)
			}
		}
	}
	// Unseal of seal: the encoding reads back to the same fingerprint.
	back, err := Decode(tab.Canonical())
	if err != nil || back.Fingerprint() != tab.Fingerprint() {
		t.Fatalf("read back: %v", err)
	}
	for _, cut := range []int{0, 10, 60, 200, len(tab.Canonical()) - 1} {
		if _, err := Decode(tab.Canonical()[:cut]); err == nil {
			t.Errorf("a table cut at %d bytes is accepted", cut)
		}
	}
}

// golden pins today's bits: the demo path's fingerprint on every machine, for
// versions of its rig. The integers are the same for both.
var golden = map[int]string{1: "A467-B7AE", 2: "BC69-5ED3"}

func TestFingerprintIsPinned(t *testing.T) {
	for version, want := range golden {
		p, r := demo(t)
		r.Version = version
		tab, _, err := Make(context.Background(), p, alone(r))
		if err != nil {
			t.Fatal(err)
		}
		if got := Short(tab.Fingerprint()); got != want {
			t.Errorf("version %d: fingerprint %s, want %s: the same keyframes no longer give the same integers",
				version, got, want)
		}
	}
}

// The same test binary built for another level of the processor, where the
// compiler fuses multiplication and addition, must pin the same fingerprint.
func TestFingerprintOnOtherLevels(t *testing.T) {
	if os.Getenv("KEENARC_LEVEL_CHILD") != "" {
		t.Skip("already in the other build")
	}
	for _, level := range []string{"v1", "v3"} {
		if level == "v3" && !hasV3(t) {
			t.Log("this processor cannot run amd64 v3")
			continue
		}
		cmd := exec.Command("go", "test", "-count=1", "-run",
			"TestFingerprintIsPinned|TestCubicVectors|TestTableIsThePath", ".")
		cmd.Env = append(os.Environ(), "GOAMD64="+level, "KEENARC_LEVEL_CHILD=1")
		if out, err := cmd.CombinedOutput(); err != nil {
			t.Errorf("amd64 %s: %s", level, out)
		}
	}
}

func hasV3(t *testing.T) bool {
	b, err := os.ReadFile("/proc/cpuinfo")
	if err != nil {
		t.Skip("not on Linux")
	}
	return strings.Contains(string(b), " avx2") && strings.Contains(string(b), " fma ") &&
		strings.Contains(string(b), " bmi2")
}

// between is the cubic by a second route: exact fractions.
func between(row []int64, k int, s int64) int64 {
	d0, d1 := 2*(row[k+1]-row[k]), 2*(row[k+1]-row[k])
	if k > 0 {
		d0 = row[k+1] - row[k-1]
	}
	if k+2 < len(row) {
		d1 = row[k+2] - row[k]
	}
	u := big.NewRat(s, 1<<28)
	half := func(v int64) *big.Rat { return big.NewRat(v, 2) }
	c2 := half(6*(row[k+1]-row[k]) - 2*d0 - d1)
	c3 := half(d0 + d1 - 4*(row[k+1]-row[k]))
	v := new(big.Rat).Mul(c3, u)
	v.Mul(v.Add(v, c2), u)
	v.Mul(v.Add(v, half(d0)), u)
	v.Add(v, new(big.Rat).SetInt64(row[k]))
	twice := new(big.Rat).Mul(v, big.NewRat(2, 1))
	fl := new(big.Int).Div(v.Num(), v.Denom())
	mid := new(big.Rat).SetInt(new(big.Int).Add(new(big.Int).Lsh(fl, 1), big.NewInt(1)))
	if c := twice.Cmp(mid); c > 0 || c == 0 && fl.Bit(0) == 1 {
		fl.Add(fl, big.NewInt(1))
	}
	return fl.Int64()
}

func TestCubicAgainstFractions(t *testing.T) {
	rng := rand.New(rand.NewPCG(2, 7))
	for range 3000 {
		n := 2 + rng.IntN(6)
		tab := &Table{First: 0, Last: 1, Steps: [][]int64{make([]int64, n)}}
		row := tab.Steps[0]
		row[0] = rng.Int64N(1<<45) - 1<<44
		for i := 1; i < n; i++ {
			row[i] = row[i-1] + rng.Int64N(1<<rng.IntN(37)+1) - 1<<35
		}
		k, s := rng.IntN(n-1), rng.Int64N(1<<28)
		if rng.IntN(3) == 0 {
			s = 1 << (20 + rng.IntN(8)) // ties are likely here
		}
		if got, want := tab.At(0, clock.Pos(int64(k)<<28+s)), between(row, k, s); got != want {
			t.Fatalf("row %v, tick %d + %d: %d, want %d", row, k, s, got, want)
		}
	}
}

// Vectors that docs/seal.md publishes for other programs.
var vectors = []struct {
	row  []int64
	pos  clock.Pos
	want int64
}{
	{[]int64{0, 65536, 262144, 589824}, 1<<28 + 1<<27, 147456},
	{[]int64{0, 65536, 262144, 589824}, 1 << 27, 24576},
	{[]int64{0, 1, 2, 3}, 1 << 27, 0},
	{[]int64{0, 1, 2, 3}, 1<<28 + 1<<27, 2},
	{[]int64{-7, 1000003, 9, -50}, 2<<28 + 12345, -14},
	{[]int64{5, 9}, -400, 5},
	{[]int64{5, 9}, 1 << 40, 9},
}

func TestCubicVectors(t *testing.T) {
	for i, v := range vectors {
		tab := &Table{First: 0, Last: 1, Steps: [][]int64{v.row}}
		if got := tab.At(0, v.pos); got != v.want {
			t.Errorf("vector %d: %d, want %d", i, got, v.want)
		}
	}
}

func TestRefusals(t *testing.T) {
	p, r := demo(t)
	for name, c := range map[string]struct {
		e    path.Edit
		want string
	}{
		"too fast":      {path.Edit{Op: "factor", Factor: &clock.Rate{Num: 4, Den: 1}}, "over its"},
		"starts moving": {path.Edit{Op: "kind", Axis: "pan", Kind: curve.Natural}, "in no time"},
		"value jumps":   {path.Edit{Op: "kind", Axis: "pan", Kind: curve.Hold}, "jumps"},
		"corner":        {path.Edit{Op: "kind", Axis: "tilt", Kind: curve.Linear}, "in no time"},
		"nothing to run": {path.Edit{Op: "replace", Tracks: []path.Track{{Axis: "slider/track"}, {Axis: "slider/pan"},
			{Axis: "tilt"}, {Axis: "focus"}}}, "no keyframe"},
	} {
		q, err := p.Apply(whole(t, r), c.e)
		if err != nil {
			t.Fatalf("%s: %v", name, err)
		}
		if _, _, err = Make(context.Background(), q, alone(r)); err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%s: %v, want a sentence with %q", name, err, c.want)
		}
	}
}

// The integers are looked at by themselves: one entry moved by a few steps is
// over a limit, one beyond what the cubic can hold is refused as that.
func TestTheIntegersAreChecked(t *testing.T) {
	p, r := demo(t)
	tab, _, err := Make(context.Background(), p, alone(r))
	if err != nil {
		t.Fatal(err)
	}
	fps := p.Clock().FPS()
	bend := func(axis, tick int, by int64) *Table {
		b := *tab
		b.Steps = append([][]int64(nil), tab.Steps...)
		b.Steps[axis] = append([]int64(nil), tab.Steps[axis]...)
		b.Steps[axis][tick] += by
		return &b
	}
	if err := bend(0, 300, 0).check(context.Background(), r, fps, limit.Working); err != nil {
		t.Fatal(err)
	}
	for name, c := range map[string]struct {
		tab  *Table
		want string
	}{
		"a kick":         {bend(1, 300, 2*65536), "in whole steps Pan is over its limit at frame 0019"},
		"at the start":   {bend(0, 1, 9*65536), "in whole steps Track"},
		"near the end":   {bend(0, len(tab.Steps[0])-2, 9*65536), "in whole steps Track"},
		"too far apart":  {bend(3, 500, 1<<38), "Roll moves more steps than the table can hold at frame 0031"},
		"out of the way": {bend(2, 500, MostSteps+1<<40), "Tilt moves more steps"},
	} {
		if err := c.tab.check(context.Background(), r, fps, limit.Working); err == nil ||
			!strings.Contains(err.Error(), c.want) {
			t.Errorf("%s: %v, want %q", name, err, c.want)
		}
	}
	// Speed and acceleration each, over by one per cent on a table as smooth as can be.
	_, a, err := limit.Analyse(p, whole(t, r))
	if err != nil {
		t.Fatal(err)
	}
	s := rig.Limits{Speed: a.Report.Axes[0].Speed.Max, Acceleration: a.Report.Axes[0].Acceleration.Max}
	for name, l := range map[string]rig.Limits{"speed": {Speed: s.Speed / 1.01, Acceleration: s.Acceleration * 2},
		"acceleration": {Speed: s.Speed * 2, Acceleration: s.Acceleration / 1.01}} {
		q := fixture.Slider()
		q.Axes[0].Working = l
		if err := tab.check(context.Background(), q, fps, limit.Working); err == nil || !strings.Contains(err.Error(),
			"Track is over its limit") {
			t.Errorf("one per cent over its %s: %v", name, err)
		}
	}
	q := fixture.Slider()
	q.Axes[0].Working = s
	if err := tab.check(context.Background(), q, fps, limit.Working); err != nil {
		t.Errorf("exactly at its limits: %v", err)
	}
}

// Sealing looks at the integers: a scale so fine that they do not fit is refused.
func TestMakeChecksTheIntegers(t *testing.T) {
	for _, num := range []int64{1 << 34, 1 << 62} {
		p, r := demo(t)
		r.Axes[1].StepsPerUnit.Num = num
		if _, _, err := Make(context.Background(), p, alone(r)); err == nil || !strings.Contains(err.Error(),
			"Pan moves more steps than the table can hold") {
			t.Errorf("%d steps per degree: %v", num, err)
		}
	}
}

// A clock may stop where everything stands still, and nowhere else.
func TestClocksStopAtRest(t *testing.T) {
	p, r := demo(t)
	still, err := p.Apply(whole(t, r), path.Edit{Op: "set", Frame: 300, Values: map[string]float64{"track": 1340,
		"pan": -26, "tilt": 1.5, "focus": 150}})
	if err != nil {
		t.Fatal(err)
	}
	for _, axis := range []string{"track", "pan", "tilt", "focus"} {
		if still, err = still.Apply(whole(t, r), path.Edit{Op: "kind", Axis: axis, Kind: curve.Monotone}); err != nil {
			t.Fatal(err)
		}
	}
	still, err = still.Apply(whole(t, r), path.Edit{Op: "run", RunUp: 40, RunOut: 40})
	if err != nil {
		t.Fatal(err)
	}
	tab, _, err := Make(context.Background(), still, alone(r))
	if err != nil {
		t.Fatal(err)
	}
	wait := func(f int) clock.Spec {
		return clock.Spec{Kind: clock.Steady, Factor: clock.Rate{Num: 1, Den: 1}, Way: clock.On,
			Waits: []clock.Wait{{Frame: f, MS: 500}}}
	}
	for f, ok := range map[int]bool{-40: true, 60: false, 120: false, 200: false, 260: true, 299: true, 340: true} {
		_, err := tab.Clock(wait(f))
		if (err == nil) != ok || err != nil && !strings.Contains(err.Error(), "is moving") {
			t.Errorf("a wait at %d: %v", f, err)
		}
	}
	if _, err := tab.Clock(clock.Spec{Kind: clock.Steady, Factor: clock.Rate{Num: 1, Den: 1},
		Way: clock.ThereAndBack}); err != nil {
		t.Errorf("there and back: %v", err)
	}
}

// A table with run-up and run-out begins before its first picture and ends after
// its last, and is read from there.
func TestRunUpInTheTable(t *testing.T) {
	tab := &Table{Machines: []Machine{{Name: "m", Rig: "r"}}, Rate: clock.Rate{Num: 24, Den: 1},
		Fastest: clock.Rate{Num: 3, Den: 1}, First: 10, Last: 12, RunUp: 3, RunOut: 4,
		Axes: []string{"m/a"}, Units: []rig.Ratio{{Num: 1, Den: 1}}, Steps: [][]int64{make([]int64, 145)}}
	const far = 1 << 45 // a long way from home: only differences are small
	for k := range tab.Steps[0] {
		tab.Steps[0][k] = far + int64(k)*1000
	}
	if tab.Start() != 7 || tab.End() != 16 || tab.Ticks() != 145 {
		t.Fatalf("from %d to %d in %d ticks", tab.Start(), tab.End(), tab.Ticks())
	}
	for at, want := range map[float64]int64{-5: 0, 7: 0, 7.5: 8000, 10: 48000, 12.03125: 80500, 16: 144000,
		90: 144000} {
		if got := tab.At(0, clock.At(at)) - far; got != want {
			t.Errorf("at %g: %d, want %d", at, got, want)
		}
	}
	tab.finish(context.Background())
	back, err := Decode(tab.Canonical())
	if err != nil || back.Start() != 7 || back.At(0, clock.At(10)) != far+48000 {
		t.Errorf("read back: %v", err)
	}
	c, err := tab.Clock(clock.Times(clock.Rate{Num: 2, Den: 1}))
	if err != nil || c.At(0, 1000) != 7<<32 || c.At(1e9, 1000) != 16<<32 || c.MaxSpeed() != 48 {
		t.Errorf("its clock is %+v, %v", c, err)
	}
	if _, err := tab.Clock(clock.Times(clock.Rate{Num: 3, Den: 1})); err != nil {
		t.Errorf("at its fastest: %v", err)
	}
	if _, err := tab.Clock(clock.Times(clock.Rate{Num: 3001, Den: 1000})); err == nil || !strings.Contains(err.Error(),
		"sealed for at most 72") {
		t.Errorf("faster than sealed: %v", err)
	}
	if _, err := tab.Clock(clock.Spec{}); err == nil {
		t.Error("no clock: accepted")
	}
	// Around goes what ends where it begins, to a quarter of a step.
	around := clock.Spec{Kind: clock.Steady, Factor: clock.Rate{Num: 1, Den: 1}, Way: clock.Around}
	if _, err := tab.Clock(around); err == nil || !strings.Contains(err.Error(),
		"m/a ends 2.197 from where it begins") {
		t.Errorf("around what is not closed: %v", err)
	}
	for off, ok := range map[int64]bool{0: true, 1 << 14: true, -1 << 14: true, 1<<14 + 1: false, -1<<14 - 1: false} {
		tab.Steps[0][144] = far + off
		if _, err := tab.Clock(around); (err == nil) != ok {
			t.Errorf("around what is %d off: %v", off, err)
		}
	}
	tab.Steps[0][144] = far + 144000
	r := fixture.Slider()
	r.Axes = r.Axes[:1]
	if err := tab.check(context.Background(), r, 24, limit.Working); err != nil {
		t.Errorf("far from home: %v", err)
	}
	tab.Steps[0][100] += 1 << 38
	if err := tab.check(context.Background(), r, 24, limit.Working); err == nil || !strings.Contains(err.Error(),
		"at frame 0013") {
		t.Errorf("a leap at tick 100: %v", err)
	}
}

// Rounding is allowed for by what it is worth at the rate, and no more: a move at
// its very limits at 240 frames a second is sealed, one that is a per cent over
// is not, though neighbouring ticks differ by more than that from rounding.
func TestTheMarginFollowsTheQuantum(t *testing.T) {
	for _, fps := range []int64{24, 120, 240} {
		r := whole(t, fixture.Slider())
		p := path.New(r, clock.Rate{Num: fps, Den: 1}, nil)
		for _, k := range [][2]float64{{0, 300}, {0.7 * float64(fps), 520.3}, {1.6 * float64(fps), 610.7}} {
			q, err := p.Apply(r, path.Edit{Op: "set", Frame: math.Round(k[0]),
				Values: map[string]float64{"track": k[1]}})
			if err != nil {
				t.Fatal(err)
			}
			p = q
		}
		r.Axes[0].Working = r.Axes[0].Rated
		m, a, err := limit.Analyse(p, r)
		if err != nil {
			t.Fatal(err)
		}
		x := a.Report.Axes[0]
		tab := &Table{Rate: p.Rate, First: m.First, Last: m.Last, Units: []rig.Ratio{r.Axes[0].StepsPerUnit},
			Steps: [][]int64{nil}}
		buf := make([]curve.Sample, tab.Ticks())
		m.Curves[0].Into(buf, float64(m.First), 1.0/TicksPerFrame)
		for _, s := range buf {
			tab.Steps[0] = append(tab.Steps[0], Quantise(s.P, tab.Units[0]))
		}
		for name, c := range map[string]struct {
			speed, acc float64
			ok         bool
		}{"at its limits": {1, 1, true}, "over its speed": {1.01, 1, false},
			"over its acceleration": {1, 1.01, false}} {
			r.Axes[0].Working = rig.Limits{Speed: x.Speed.Max / c.speed, Acceleration: x.Acceleration.Max / c.acc}
			if err := tab.check(context.Background(), r, float64(fps), limit.Working); (err == nil) != c.ok {
				t.Errorf("%d fps, %s: %v", fps, name, err)
			}
		}
	}
}

// A header is looked at before anything is computed from it.
func TestDecodeBoundsTheHeader(t *testing.T) {
	p, r := demo(t)
	good, _, err := Make(context.Background(), p, alone(r))
	if err != nil {
		t.Fatal(err)
	}
	short := func(change func(*Table)) []byte {
		b := *good
		b.First, b.Last, b.Axes, b.Units, b.Steps = 0, 1, []string{"slider/a"}, []rig.Ratio{{Num: 1, Den: 1}},
			[][]int64{make([]int64, 17)}
		b.Machines = append([]Machine{}, good.Machines...)
		change(&b)
		b.finish(context.Background())
		return b.Canonical()
	}
	if _, err := Decode(short(func(*Table) {})); err != nil {
		t.Fatal(err)
	}
	for name, ok := range map[string]func(*Table){
		"far back":  func(b *Table) { b.First, b.Last = -2*path.MaxFrames, -2*path.MaxFrames+1 },
		"far ahead": func(b *Table) { b.First, b.Last = 2*path.MaxFrames-1, 2*path.MaxFrames },
	} {
		if _, err := Decode(short(ok)); err != nil {
			t.Errorf("%s: %v", name, err)
		}
	}
	for name, c := range map[string]struct {
		change func(*Table)
		want   string
	}{
		"too far back":  {func(b *Table) { b.First, b.Last = -2*path.MaxFrames-1, -2*path.MaxFrames }, "first frame"},
		"too far ahead": {func(b *Table) { b.First, b.Last = 2*path.MaxFrames, 2*path.MaxFrames+1 }, "last frame"},
		"run-up":        {func(b *Table) { b.RunUp = 1 << 60 }, "run-up"},
		"run-up below":  {func(b *Table) { b.RunUp = -1 }, "run-up"},
		"run-up long":   {func(b *Table) { b.RunUp = path.MaxRun + 1 }, "run-up"},
		"run-out":       {func(b *Table) { b.RunOut = 1 << 62 }, "run-out"},
		"run-out below": {func(b *Table) { b.RunOut = -5 }, "run-out"},
		"first":         {func(b *Table) { b.First = -1 << 62 }, "first frame"},
		"last":          {func(b *Table) { b.Last = 1 << 62 }, "last frame"},
		"too long":      {func(b *Table) { b.Last = path.MaxFrames + 1 }, "last frame"},
		"empty":         {func(b *Table) { b.Last = 0 }, "last frame"},
		"rate":          {func(b *Table) { b.Rate.Den = 0 }, "rate"},
		"fastest":       {func(b *Table) { b.Fastest.Num = -1 }, "fastest clock"},
		"rig":           {func(b *Table) { b.Machines[0].Rig = "" }, "list of machines"},
		"version":       {func(b *Table) { b.Machines[0].Version = -1 }, "list of machines"},
		"nameless":      {func(b *Table) { b.Machines[0].Name = "" }, "list of machines"},
		"twice":         {func(b *Table) { b.Machines = append(b.Machines, b.Machines[0]) }, "list of machines"},
		"place":         {func(b *Table) { b.Machines[0].Place.At[1] = math.NaN() }, "list of machines"},
		"far away":      {func(b *Table) { b.Machines[0].Place.At[1] = 1e7 }, "list of machines"},
		"turn":          {func(b *Table) { b.Machines[0].Place.TurnDeg = math.Inf(1) }, "list of machines"},
		"no machine":    {func(b *Table) { b.Machines = nil }, "number of machines"},
		"many machines": {func(b *Table) { b.Machines = make([]Machine, 17) }, "number of machines"},
		"other machine": {func(b *Table) { b.Axes[0] = "heron/a" }, "of none of its machines"},
		"same axis": {func(b *Table) {
			b.Axes, b.Units, b.Steps = append(b.Axes, b.Axes[0]), append(b.Units, b.Units[0]),
				append(b.Steps, b.Steps[0])
		}, "there twice"},
		"no axis": {func(b *Table) { b.Axes, b.Units, b.Steps = nil, nil, nil }, "number of axes"},
		"many axes": {func(b *Table) {
			b.Axes = make([]string, 65)
			b.Units = make([]rig.Ratio, 65)
			b.Steps = make([][]int64, 65)
		}, "number of axes"},
		"no name":       {func(b *Table) { b.Axes = []string{"slider/"} }, "of none of its machines"},
		"no steps":      {func(b *Table) { b.Units = []rig.Ratio{{Num: 0, Den: 1}} }, "steps per unit"},
		"ticks":         {func(b *Table) { b.Steps = [][]int64{make([]int64, 16)} }, "has 16 ticks where 17"},
		"beyond":        {func(b *Table) { b.Steps[0][3] = MostSteps + 1 }, "cannot hold at tick 3"},
		"beyond below":  {func(b *Table) { b.Steps[0][3] = -MostSteps - 1 }, "cannot hold at tick 3"},
		"a leap":        {func(b *Table) { b.Steps[0][16] = 1<<37 + 1 }, "cannot hold at tick 16"},
		"a leap in two": {func(b *Table) { b.Steps[0][15], b.Steps[0][16] = 1<<37, 1<<37+5 }, "cannot hold at tick 16"},
	} {
		if _, err := Decode(short(c.change)); err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%s: %v, want %q", name, err, c.want)
		}
	}
	if _, err := Decode(append(good.Canonical(), 0)); err == nil || !strings.Contains(err.Error(), "left over") {
		t.Errorf("bytes left over: %v", err)
	}
}

// Linear is sealed once its corners are blended.
func TestBlendedLinearIsSealed(t *testing.T) {
	p, r := demo(t)
	q, err := p.Apply(whole(t, r), path.Edit{Op: "kind", Axis: "tilt", Kind: curve.Linear, Blend: 12})
	if err != nil {
		t.Fatal(err)
	}
	if _, _, err := Make(context.Background(), q, alone(r)); err != nil {
		t.Error(err)
	}
}

func TestRoundingHalfToEven(t *testing.T) {
	u := rig.Ratio{Num: 1, Den: 1 << 17} // one unit is half of 2⁻¹⁶ step
	for v, want := range map[float64]int64{1: 0, 3: 2, 5: 2, 7: 4, -1: 0, -3: -2, -5: -2} {
		if got := Quantise(v, u); got != want {
			t.Errorf("%g gives %d, want %d", v, got, want)
		}
	}
}

// BenchmarkSeal seals ten minutes at 24 fps for eight axes of 200 keyframes.
func BenchmarkSeal(b *testing.B) {
	r := fixture.Slider()
	for i := range 3 {
		a := r.Axes[1]
		a.ID = []string{"x1", "x2", "x3"}[i]
		r.Axes = append(r.Axes, a)
	}
	p := path.New(whole(b, r), clock.Rate{Num: 24, Den: 1}, nil)
	rng := rand.New(rand.NewPCG(8, 8))
	for i := range p.Tracks {
		a := r.Axes[i]
		for k := range 200 {
			p.Tracks[i].Keys = append(p.Tracks[i].Keys,
				path.Key{Frame: float64(k * 72), Value: (a.Min+a.Max)/2 + rng.NormFloat64()*0.01*(a.Max-a.Min)})
		}
	}
	b.ReportAllocs()
	for b.Loop() {
		if _, _, err := Make(context.Background(), p, alone(r)); err != nil {
			b.Fatal(err)
		}
	}
}

// Another zero is baked in: the table is the same move, so many steps farther; limits are
// held against the plan's values, and a path sealed for the old zero is known as such.
func TestZeroIsBakedIn(t *testing.T) {
	r := fixture.Slider()
	plain := []rig.Placed{{Name: "slider", Rig: r}}
	moved := *r
	moved.Axes = append([]rig.Axis(nil), r.Axes...)
	moved.Axes[1] = moved.Axes[1].Zeroed(3.5)
	zeroed := []rig.Placed{{Name: "slider", Rig: &moved}}
	whole, err := rig.Join(plain)
	if err != nil {
		t.Fatal(err)
	}
	other, err := rig.Join(zeroed)
	if err != nil {
		t.Fatal(err)
	}
	p := path.New(whole, clock.Rate{Num: 24, Den: 1}, nil)
	for _, k := range [][2]float64{{0, -20}, {100, 30}} {
		if p, err = p.Apply(whole, path.Edit{Op: "set", Frame: k[0], Values: map[string]float64{"pan": k[1],
			"track": 500}}); err != nil {
			t.Fatal(err)
		}
	}
	a, _, err := Make(context.Background(), p, plain)
	if err != nil {
		t.Fatal(err)
	}
	b, _, err := Make(context.Background(), p, zeroed)
	if err != nil {
		t.Fatal(err)
	}
	by := int64(3.5 * 40 * (1 << Fraction))
	for k := range a.Steps[1] {
		if d := b.Steps[1][k] - a.Steps[1][k] - by; max(d, -d) > 1 || a.Steps[0][k] != b.Steps[0][k] {
			t.Fatalf("tick %d: pan is %d from where it should be, track %d", k, d, a.Steps[0][k]-b.Steps[0][k])
		}
	}
	ma, err := path.Compile(p, whole)
	if err != nil {
		t.Fatal(err)
	}
	if i := a.Zeroed(ma, whole); i != -1 {
		t.Errorf("as it was sealed: axis %d", i)
	}
	if i := a.Zeroed(ma, other); i != 1 {
		t.Errorf("with another zero: axis %d", i)
	}
	if i := b.Zeroed(ma, other); i != -1 {
		t.Errorf("sealed for it: axis %d", i)
	}
	// From −20 to 30 planned is −16.5 to 33.5 counted: a limit between the two tells them apart.
	tight := *other
	tight.Axes = append([]rig.Axis(nil), other.Axes...)
	tight.Axes[1].Max = 31
	if err := b.Within(&tight, 24, limit.Working); err != nil {
		t.Errorf("up to 30 within 31: %v", err)
	}
	tight.Axes[1].Max = 29
	if err := b.Within(&tight, 24, limit.Working); err == nil {
		t.Error("up to 30 within 29")
	}
}

// Signed for, working limits are passed; rated ones, soft ones and steps never are.
func TestOverWorkingLimits(t *testing.T) {
	p, r := demo(t)
	for factor, ok := range map[string][2]bool{"1": {true, true}, "1.3": {false, true}, "3": {false, false}} {
		q, err := p.Apply(whole(t, r), path.Edit{Op: "factor", Clock: factor})
		if err != nil {
			t.Fatal(err)
		}
		_, _, err = Make(context.Background(), q, alone(r))
		tab, _, over := MakeOver(context.Background(), q, alone(r))
		if (err == nil) != ok[0] || (over == nil) != ok[1] {
			t.Errorf("× %s: %v; signed for: %v", factor, err, over)
		}
		if over != nil && !strings.Contains(over.Error(), "nobody can sign for it") {
			t.Errorf("× %s: %v", factor, over)
		}
		if over == nil && factor != "1" {
			fps := q.Clock().FPS()
			if err := tab.Within(r, fps, limit.Working); err == nil {
				t.Error("it is within its working limits after all")
			}
			w := whole(t, r)
			if err := tab.Within(w, fps, limit.Working); err == nil {
				t.Error("within working limits by its whole names")
			}
			if err := tab.Within(w, fps, limit.Rated); err != nil {
				t.Error(err)
			}
		}
	}
	for name, e := range map[string]path.Edit{
		"a jump":     {Op: "kind", Axis: "pan", Kind: curve.Hold},
		"soft limit": {Op: "set", Frame: 180, Values: map[string]float64{"track": 1479}},
	} {
		q, err := p.Apply(whole(t, r), e)
		if err == nil {
			_, _, err = MakeOver(context.Background(), q, alone(r))
		}
		if err == nil {
			t.Errorf("%s is signed for", name)
		}
	}
}

// A seal says how far it is, and ends where nobody waits for it.
func TestMakeEndsWithItsContext(t *testing.T) {
	p, r := demo(t)
	whole := &effort.Count{}
	want, brake, err := Make(effort.With(t.Context(), whole), p, alone(r))
	if err != nil || whole.Share() != 1 || brake == nil {
		t.Fatalf("%v, %g done", err, whole.Share())
	}
	for _, share := range []float64{0, 0.2, 0.5, 0.9} {
		ctx, end := context.WithCancel(t.Context())
		c := &effort.Count{}
		got, _, err := Make(&ends{effort.With(ctx, c), func() bool { return c.Share() >= share }, end}, p, alone(r))
		if !errors.Is(err, context.Canceled) || got != nil {
			t.Errorf("ended at %g: %v", share, err)
		}
		if c.Share() > share+0.5 {
			t.Errorf("ended at %g it went on to %g", share, c.Share())
		}
		end()
	}
	if again, _, err := Make(t.Context(), p, alone(r)); err != nil || again.Fingerprint() != want.Fingerprint() {
		t.Errorf("afterwards it is another: %v", err)
	}
}

// ends is a context that is ended when something has happened.
type ends struct {
	context.Context
	when func() bool
	end  func()
}

func (e *ends) Err() error {
	if e.when() {
		e.end()
	}
	return e.Context.Err()
}

// made is a table of one axis, a step a unit, whose entries are f of the tick.
func made(f func(tick int) float64) *Table {
	t := Table{Axes: []string{"track"}, Units: []rig.Ratio{{Num: 1, Den: 1}}, Rate: clock.Rate{Num: 24, Den: 1},
		Fastest: clock.Rate{Num: 1, Den: 1}, Last: 100, Steps: make([][]int64, 1)}
	for k := range t.Ticks() {
		t.Steps[0] = append(t.Steps[0], Quantise(f(k), t.Units[0]))
	}
	return New(t)
}

// What rounding hides from tick to tick is found over more of them.
func TestLimitsAreMeasuredOverLongerStrides(t *testing.T) {
	const hz = 24 * TicksPerFrame
	lim := rig.Limits{Speed: 1e6, Acceleration: 100}
	for a, over := range map[float64]bool{99.9: false, 100: false, 100.1: true, 101: true, 150: true} {
		tab := made(func(k int) float64 { x := float64(k) / hz; return a * x * x / 2 })
		if got := tab.over(0, lim, 24) >= 0; got != over {
			t.Errorf("an acceleration of %g where 100 is the limit: over %v", a, got)
		}
	}
	lim = rig.Limits{Speed: 100, Acceleration: 1e9}
	for v, over := range map[float64]bool{99.99: false, 100: false, 100.03: true} {
		tab := made(func(k int) float64 { return v * float64(k) / hz })
		if got := tab.over(0, lim, 24) >= 0; got != over {
			t.Errorf("a speed of %g where 100 is the limit: over %v", v, got)
		}
	}
}

// A clock stops at once only where nothing moves: a hundredth of the fastest is moving.
func TestWhereAClockMayStop(t *testing.T) {
	for slow, ok := range map[float64]bool{0: true, 0.0005: true, 0.01: false, 0.05: false} {
		tab := made(func(k int) float64 { // fast, then slow from frame 50 on
			fast := float64(min(k, 50*TicksPerFrame))
			return fast + slow*float64(max(k-50*TicksPerFrame, 0))
		})
		_, err := tab.Clock(clock.Spec{Kind: clock.Steady, Factor: clock.Rate{Num: 1, Den: 1}, Way: clock.On,
			Waits: []clock.Wait{{Frame: 75, MS: 500}}})
		if (err == nil) != ok {
			t.Errorf("waiting where it moves at %g of its fastest: %v", slow, err)
		}
	}
}

// A soft limit of the day holds to the entry: what lies past it by more than rounding is past it.
func TestSoftLimitsHoldToTheEntry(t *testing.T) {
	r := &rig.Rig{Axes: []rig.Axis{{ID: "track", Name: "Track", Unit: rig.MM, Min: 0, Max: 100,
		Working: rig.Limits{Speed: 1e9, Acceleration: 1e12}}}}
	for past, ok := range map[float64]bool{0: true, 1.0 / (1 << 17): true, 1.0 / (1 << 12): false, 0.5: false} {
		for _, edge := range []float64{0, 100} {
			tab := made(func(int) float64 {
				if edge == 0 {
					return -past
				}
				return edge + past
			})
			if err := tab.Within(r, 24, limit.Working); (err == nil) != ok {
				t.Errorf("%g past %g: %v", past, edge, err)
			}
		}
	}
}
