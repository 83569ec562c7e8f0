package calc

import (
	"context"
	"fmt"
	"math"
	"strconv"
	"strings"

	"keenarc/core/site"
)

// RunningOrderRequest is a set-up as a network of tasks.
type RunningOrderRequest struct {
	Start string             `json:"start,omitempty" doc:"hh:mm; 00:00 when left out"`
	Tasks []RunningOrderTask `json:"tasks"`
	Crew  int                `json:"crew,omitempty" doc:"left out: nobody is ever short"`
}

// RunningOrderTask is one task. Either minutes, or both p50 and p80.
type RunningOrderTask struct {
	ID      string   `json:"id"`
	Minutes *float64 `json:"minutes,omitempty"`
	P50     *float64 `json:"p50,omitempty" doc:"as likely longer as shorter"`
	P80     *float64 `json:"p80,omitempty" doc:"longer one time in five"`
	After   []string `json:"after,omitempty"`
	People  *int     `json:"people,omitempty" doc:"1 when left out"`
}

// RunningOrderAnswer counts minutes from the start.
type RunningOrderAnswer struct {
	Ready    string                `json:"ready" doc:"hh:mm, to the nearest minute"`
	ReadyMin float64               `json:"ready_min"`
	Critical []string              `json:"critical" doc:"by when they start"`
	Tasks    []RunningOrderSlot    `json:"tasks"`
	Levelled *RunningOrderLevelled `json:"levelled,omitempty" doc:"for the crew: one task after another, the earliest latest start first, then by id"`
	ReadyP50 *float64              `json:"ready_p50,omitempty" doc:"minutes; of 2,000 seeded draws"`
	ReadyP80 *float64              `json:"ready_p80,omitempty"`
}

// RunningOrderLevelled is the schedule for the crew that there is.
type RunningOrderLevelled struct {
	ReadyMin float64            `json:"ready_min"`
	Tasks    []RunningOrderSlot `json:"tasks"`
	ReadyP50 *float64           `json:"ready_p50,omitempty" doc:"minutes; of 2,000 seeded draws, each levelled for the crew"`
	ReadyP80 *float64           `json:"ready_p80,omitempty"`
}

// RunningOrderSlot is when a task happens.
type RunningOrderSlot struct {
	ID       string  `json:"id"`
	StartMin float64 `json:"start_min"`
	EndMin   float64 `json:"end_min"`
	SlackMin float64 `json:"slack_min"`
}

// PowerRequest is devices at the end of one cable. Out and back, copper.
type PowerRequest struct {
	Volts       float64       `json:"volts"`
	BreakerA    *float64      `json:"breaker_a,omitempty"`
	Cable       PowerCable    `json:"cable"`
	Devices     []PowerDevice `json:"devices"`
	LeastVolts  *float64      `json:"least_volts,omitempty"`
	Resistivity *float64      `json:"resistivity,omitempty" doc:"Ω·mm²/m; copper in service, 0.0225, when left out"`
}

// PowerCable is its length one way, and the copper of one core.
type PowerCable struct {
	LengthM    float64 `json:"length_m"`
	SectionMM2 float64 `json:"section_mm2"`
}

// PowerDevice draws so much as rated, and at its peak (as rated when left out).
type PowerDevice struct {
	Name      string   `json:"name"`
	Watts     float64  `json:"watts"`
	PeakWatts *float64 `json:"peak_watts,omitempty"`
}

// PowerAnswer is the load as rated and with all devices at their peaks. They take constant power: the
// fewer volts are left, the more they draw. Where no voltage settles there are no amperes and volts.
type PowerAnswer struct {
	Amps          *float64 `json:"amps" nullable:"true"`
	PeakAmps      *float64 `json:"peak_amps" nullable:"true"`
	VoltsAtEnd    *float64 `json:"volts_at_end" nullable:"true"`
	PeakVolts     *float64 `json:"peak_volts_at_end" nullable:"true"`
	Settles       bool     `json:"settles"`
	PeakSettles   bool     `json:"peak_settles"`
	BreakerOK     bool     `json:"breaker_ok"`
	PeakBreakerOK bool     `json:"peak_breaker_ok"`
	FailsFirst    *string  `json:"fails_first" nullable:"true" doc:"breaker or volts, as the load rises to its peak; null: neither"`
	FailsAtAmps   *float64 `json:"fails_at_amps,omitempty"`
}

func init() {
	at("running-order", "A set-up as a network of tasks: when it is ready, what is critical, and with a crew or with "+
		"spreads how likely that is.",
		`{"start":"07:30","tasks":[{"id":"unload","minutes":20,"after":[]},{"id":"rails","minutes":35,"after":[`+
			`"unload"],"people":2},{"id":"camera","minutes":30,"after":["unload"]},{"id":"mount","minutes":20,`+
			`"after":["rails","camera"]}],"crew":4}`, runRunningOrder)
	at("power", "Devices at the end of a cable: amperes, the volts that are left, the breaker, and what fails first.",
		`{"volts":230,"breaker_a":16,"cable":{"length_m":50,"section_mm2":1.5},"devices":[{"name":"swing",`+
			`"watts":800,"peak_watts":2400}],"least_volts":207}`, runPower)
}

// startOf reads hh:mm as minutes from midnight.
func startOf(text string) (int, error) {
	if text == "" {
		return 0, nil
	}
	h, m, ok := strings.Cut(text, ":")
	hh, err := strconv.Atoi(h)
	mm, err2 := strconv.Atoi(m)
	if !ok || err != nil || err2 != nil || hh < 0 || hh > 23 || mm < 0 || mm > 59 || len(m) != 2 {
		return 0, &FieldError{"start", fmt.Sprintf("%q is no time of the day", text),
			"give hours and minutes, as 07:30"}
	}
	return 60*hh + mm, nil
}

func runRunningOrder(_ context.Context, q *RunningOrderRequest, _ Bounds) (*RunningOrderAnswer, error) {
	start, err := startOf(q.Start)
	if err != nil {
		return nil, err
	}
	if q.Crew < 0 || q.Crew > 1000 {
		return nil, &FieldError{"crew", fmt.Sprintf("it is %d", q.Crew),
			"give how many people there are, or leave it out"}
	}
	tasks := make([]site.Task, len(q.Tasks))
	spreads := make([]site.Spread, len(q.Tasks))
	spread := false
	for i, t := range q.Tasks {
		field := fmt.Sprintf("tasks[%d]", i)
		x := site.Task{ID: t.ID, After: t.After, People: 1}
		if t.People != nil {
			x.People = *t.People
		}
		switch {
		case t.Minutes != nil && t.P50 == nil && t.P80 == nil:
			x.Minutes = *t.Minutes
			spreads[i] = site.Spread{P50: x.Minutes, P80: x.Minutes}
		case t.Minutes == nil && t.P50 != nil && t.P80 != nil:
			x.Minutes, spread = *t.P50, true
			spreads[i] = site.Spread{P50: *t.P50, P80: *t.P80}
		default:
			return nil, &FieldError{field + ".minutes", fmt.Sprintf("%q has no time, or two", t.ID),
				"give minutes, or both p50 and p80"}
		}
		tasks[i] = x
	}
	n, err := site.NewNetwork(tasks)
	if err != nil {
		return nil, err
	}
	s := n.Times(n.Minutes())
	a := &RunningOrderAnswer{ReadyMin: s.Ready, Tasks: slots(n, s), Critical: []string{}}
	at := (start + int(math.Round(s.Ready))) % 1440
	a.Ready = fmt.Sprintf("%02d:%02d", at/60, at%60)
	for _, i := range s.Critical() {
		a.Critical = append(a.Critical, n.Tasks[i].ID)
	}
	if q.Crew > 0 {
		c, err := n.Crewed(n.Minutes(), q.Crew, 0, nil)
		if err != nil {
			return nil, err
		}
		a.Levelled = &RunningOrderLevelled{ReadyMin: c.Ready, Tasks: slots(n, c)}
	}
	if spread {
		p50, p80, err := n.Forecast(spreads, 0, 0, nil)
		if err != nil {
			return nil, err
		}
		a.ReadyP50, a.ReadyP80 = &p50, &p80
		if q.Crew > 0 {
			p50, p80, err := n.Forecast(spreads, q.Crew, 0, nil)
			if err != nil {
				return nil, err
			}
			a.Levelled.ReadyP50, a.Levelled.ReadyP80 = &p50, &p80
		}
	}
	return a, nil
}

func slots(n *site.Network, s site.Schedule) []RunningOrderSlot {
	out := make([]RunningOrderSlot, len(s.Slots))
	for i, x := range s.Slots {
		out[i] = RunningOrderSlot{n.Tasks[i].ID, x.Start, x.End, x.Slack}
	}
	return out
}

func runPower(_ context.Context, q *PowerRequest, _ Bounds) (*PowerAnswer, error) {
	rho := site.Copper
	if q.Resistivity != nil {
		rho = *q.Resistivity
	}
	for _, f := range []struct {
		name, want string
		v          float64
		zero       bool
	}{{"volts", "give the supply's volts", q.Volts, false}, {"cable.length_m", "give metres, 0 or more",
		q.Cable.LengthM, true}, {"cable.section_mm2", "give the copper of one core in square millimetres",
		q.Cable.SectionMM2, false}, {"resistivity", "give Ω·mm²/m above zero", rho, false}} {
		if !(f.v > 0 && f.v <= 1e9) && !(f.zero && f.v == 0) {
			return nil, &FieldError{f.name, fmt.Sprintf("it is %g", f.v), f.want}
		}
	}
	if len(q.Devices) == 0 || len(q.Devices) > 1000 {
		return nil, &FieldError{"devices", fmt.Sprintf("there are %d", len(q.Devices)),
			"give 1 to 1000, each with its watts"}
	}
	var w, peak float64
	for i, d := range q.Devices {
		p := d.Watts
		if d.PeakWatts != nil {
			p = *d.PeakWatts
		}
		if !(d.Watts >= 0 && d.Watts <= 1e9) {
			return nil, &FieldError{fmt.Sprintf("devices[%d].watts", i), fmt.Sprintf("%s draws %g W", d.Name, d.Watts),
				"give watts, 0 or more"}
		}
		if !(p >= d.Watts && p <= 1e9) {
			return nil, &FieldError{fmt.Sprintf("devices[%d].peak_watts", i),
				fmt.Sprintf("%s peaks at %g W and draws %g", d.Name, p, d.Watts),
				"give at least what it draws as rated"}
		}
		w, peak = w+d.Watts, peak+p
	}
	ohms := site.Ohms(q.Cable.LengthM, q.Cable.SectionMM2, rho)
	a := &PowerAnswer{}
	a.VoltsAtEnd, a.Amps, a.Settles = settled(q.Volts, ohms, w)
	a.PeakVolts, a.PeakAmps, a.PeakSettles = settled(q.Volts, ohms, peak)
	breaker, volts := math.Inf(1), math.Inf(1)
	if q.BreakerA != nil {
		if !(*q.BreakerA > 0) {
			return nil, &FieldError{"breaker_a", fmt.Sprintf("it is %g", *q.BreakerA),
				"give its amperes, or leave it out"}
		}
		breaker = *q.BreakerA
	}
	a.BreakerOK, a.PeakBreakerOK = a.Settles && *a.Amps <= breaker, a.PeakSettles && *a.PeakAmps <= breaker
	if ohms > 0 { // beyond half of its volts no more gets through, however many amperes flow
		volts = q.Volts / 2 / ohms
	}
	if q.LeastVolts != nil {
		if !(*q.LeastVolts >= 0 && *q.LeastVolts < q.Volts) {
			return nil, &FieldError{"least_volts", fmt.Sprintf("it is %g of %g", *q.LeastVolts, q.Volts),
				"give less than the supply has, or leave it out"}
		}
		if ohms > 0 {
			volts = min(volts, (q.Volts-*q.LeastVolts)/ohms)
		}
	}
	if least := min(breaker, volts); !a.PeakSettles || *a.PeakAmps > least {
		what := "volts"
		if breaker <= volts {
			what = "breaker"
		}
		a.FailsFirst, a.FailsAtAmps = &what, &least
	}
	return a, nil
}

// settled is site.Settled, with nothing where no voltage is.
func settled(volts, ohms, watts float64) (v, a *float64, ok bool) {
	atEnd, amps, ok := site.Settled(volts, ohms, watts)
	if !ok {
		return nil, nil, false
	}
	return &atEnd, &amps, true
}
