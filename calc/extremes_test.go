package calc

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"math/rand/v2"
	"os"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"
)

// extremes are numbers that a request may well hold, and should not be harmed by.
var extremes = []float64{0, 1, -1, math.SmallestNonzeroFloat64, -math.SmallestNonzeroFloat64, 1e-320, 1e-300, 1e-150,
	1e-9, 1e9, 1e18, 1e22, 1e150, 1e300,
	1e308, -1e308, math.MaxFloat64, -math.MaxFloat64, math.MaxInt32, math.MinInt64, math.Pi}

// twisted is a request in which some numbers are others, and some lists are shorter or longer.
func twisted(rng *rand.Rand, v any, odds float64) any {
	switch x := v.(type) {
	case map[string]any:
		keys := make([]string, 0, len(x))
		for k := range x {
			keys = append(keys, k)
		}
		slices.Sort(keys)
		out := map[string]any{}
		for _, k := range keys {
			if rng.Float64() > odds/4 {
				out[k] = twisted(rng, x[k], odds)
			}
		}
		return out
	case []any:
		out := make([]any, 0, len(x))
		for _, e := range x {
			out = append(out, twisted(rng, e, odds))
		}
		if rng.Float64() < odds/4 && len(out) > 0 {
			out = out[:rng.IntN(len(out))]
		}
		return out
	case float64:
		if rng.Float64() < odds {
			return json.Number(strconv.FormatFloat(extremes[rng.IntN(len(extremes))], 'g', -1, 64))
		}
	}
	return v
}

// TestExtremes asks every calculation for what nobody means: it is answered or refused, with
// finite numbers, in bounded time and memory, and nothing breaks off.
func TestExtremes(t *testing.T) {
	rounds, seed := 150, uint64(1)
	if n, err := strconv.Atoi(os.Getenv("KEENARC_EXTREMES")); err == nil {
		rounds = n
	}
	if n, err := strconv.ParseUint(os.Getenv("KEENARC_SEED"), 10, 64); err == nil {
		seed = n
	}
	for _, e := range List() {
		for _, example := range append([]string{e.example}, more[e.Name]...) {
			var q any
			if err := json.Unmarshal([]byte(example), &q); err != nil {
				t.Fatal(err)
			}
			for n := range rounds {
				rng := rand.New(rand.NewPCG(seed, uint64(n)))
				raw, err := json.Marshal(twisted(rng, q, 0.02+0.3*rng.Float64()))
				if err != nil {
					t.Fatal(err)
				}
				if why := asked(e.Name, raw); why != "" {
					t.Errorf("%s %s: %s", e.Name, raw, why)
				}
			}
		}
	}
}

// asked says what is wrong with how a request is answered.
func asked(name string, raw []byte) (why string) {
	done := make(chan string, 1)
	go func() {
		defer func() {
			if p := recover(); p != nil {
				done <- fmt.Sprintf("it broke off: %v", p)
			}
		}()
		var before, after runtime.MemStats
		runtime.ReadMemStats(&before)
		began := time.Now()
		a, status := Prepare(context.Background(), name, raw, Web)
		var w counting
		err := a.Write(context.Background(), &w)
		runtime.ReadMemStats(&after)
		switch took := time.Since(began); {
		case err != nil || w == 0:
			done <- fmt.Sprintf("%v answered with %d bytes, %v", status, w, err)
		case took > 20*time.Second: // the machine is shared
			done <- fmt.Sprintf("it took %v", took)
		case after.TotalAlloc-before.TotalAlloc > 1<<30:
			done <- fmt.Sprintf("it took %d MB", (after.TotalAlloc-before.TotalAlloc)>>20)
		default:
			done <- ""
		}
	}()
	select {
	case why := <-done:
		return why
	case <-time.After(time.Minute):
		return "it does not end"
	}
}

// counting counts what is written.
type counting int

func (c *counting) Write(p []byte) (int, error) { *c += counting(len(p)); return len(p), nil }

var _ io.Writer = (*counting)(nil)

// more are requests of another shape than the examples.
var more = map[string][]string{
	"curve": {
		`{"kind":"handles","rate_hz":5,"keys":{"t_s":[0,1,2],"axes":{"a":[0,1,0],"b":[1,2,3]}},"in":{"a":[[0,0],[` +
			`-0.3,0.2],[-0.3,0]]},"out":{"a":[[0.3,0.1],[0.3,0],[0,0]]}}`,
		`{"kind":"ramp","law":"s-curve","ramp_s":[0.2,0.3],"ramp_jerk":40,"rate_hz":5,"keys":{"t_s":[0,1,2],"axes":{` +
			`"a":[0,1,0]}}}`,
		`{"kind":"quintic","rate_hz":5,"keys":{"t_s":[0,1,2],"axes":{"a":[0,1,0]}},"slopes":{"a":[0,1,0]},` +
			`"accelerations":{"a":[0,2,0]}}`,
		`{"kind":"tcb","rate_hz":5,"keys":{"t_s":[0,1,2],"axes":{"a":[0,1,0]}},"tension":[0,0.5,0],"continuity":[0,` +
			`0.5,0],"bias":[0,-0.5,0]}`,
		`{"kind":"linear","blend_s":0.2,"rate_hz":5,"keys":{"t_s":[0,1,2],"axes":{"a":[0,1,0]}},"segments":{` +
			`"1":"ramp"}}`,
		`{"kind":"hold","rate_hz":5,"keys":{"t_s":[0,1,2],"axes":{"a":[0,1,0]}}}`,
	},
	"retime": {
		`{"jerk":true,"keys":{"t_s":[0,1.5,3],"axes":{"a":[0,30,10],"b":[5,-20,40]}},"limits":{"a":{` +
			`"acceleration":60,"jerk":600},"b":{"speed":40,"acceleration":60,"jerk":600}}}`,
	},
}

// What would take too much is refused in a sentence, before it takes it.
func TestTooMuchIsRefused(t *testing.T) {
	list := func(n int, f func(i int) string) string {
		out := make([]string, n)
		for i := range out {
			out[i] = f(i)
		}
		return "[" + strings.Join(out, ",") + "]"
	}
	keys := func(n int) string {
		return fmt.Sprintf(`"keys":{"t_s":%s,"axes":{"a":%s}}`, list(n, strconv.Itoa), list(n, func(i int) string {
			return strconv.Itoa(i * 7919 % 101)
		}))
	}
	handles := func(n int) string {
		return fmt.Sprintf(`"kind":"handles","rate_hz":0.01,%s,"in":{"a":%s},"out":{"a":%s}`, keys(n),
			list(n, func(int) string { return "[-0.66,30]" }), list(n, func(int) string { return "[0.66,-50]" }))
	}
	limits := `"limits":{"a":{"speed":80,"acceleration":60,"jerk":600}}`
	for name, c := range map[string]struct{ calc, q, field string }{
		"pieces":             {"curve", "{" + handles(3000) + "}", "keys"},
		"pieces of a limit":  {"limit", "{" + handles(3000) + "," + limits + "}", "keys"},
		"stretches":          {"retime", "{" + handles(40) + "," + limits + "}", "keys.t_s"},
		"stretches, by jerk": {"retime", `{"jerk":true,"rate_hz":0.1,` + keys(500) + "," + limits + "}", "keys.t_s"},
	} {
		var before, after runtime.MemStats
		runtime.ReadMemStats(&before)
		a, st := Prepare(context.Background(), c.calc, []byte(c.q), Web)
		runtime.ReadMemStats(&after)
		var b bytes.Buffer
		if err := a.Write(t.Context(), &b); err != nil {
			t.Fatal(err)
		}
		var e struct{ Error FieldError }
		if st != BadRequest || json.Unmarshal(b.Bytes(), &e) != nil || !strings.HasPrefix(e.Error.Field, c.field) &&
			e.Error.Field != "kind" {
			t.Errorf("%s: %v %.200s", name, st, b.String())
		}
		if mb := (after.TotalAlloc - before.TotalAlloc) >> 20; mb > 256 {
			t.Errorf("%s: refused after %d MB", name, mb)
		}
	}
}
