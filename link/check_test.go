package link_test

import (
	"bufio"
	"context"
	"net"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"keenarc/examples"
	"keenarc/link"
	"keenarc/standin"
)

// device is a stand-in, with what it says changed on its way.
func device(t *testing.T, pace int, change func(line string) string) string {
	t.Helper()
	ctx, cancel := context.WithCancel(context.Background())
	s, err := standin.Listen(standin.Options{Rig: examples.Rigs()["plank"], Seed: 4, Pace: pace}, "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	done := make(chan struct{})
	go func() { defer close(done); _ = s.Run(ctx) }()
	t.Cleanup(func() { cancel(); <-done })
	if change == nil {
		return s.Addr()
	}
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { l.Close() })
	go func() {
		c, err := l.Accept()
		if err != nil {
			return
		}
		defer c.Close()
		d, err := net.Dial("tcp", s.Addr())
		if err != nil {
			return
		}
		defer d.Close()
		go func() {
			in := bufio.NewScanner(c)
			in.Buffer(nil, 1<<24)
			for in.Scan() {
				_, _ = d.Write(append(in.Bytes(), '\n'))
			}
			d.Close()
		}()
		out := bufio.NewScanner(d)
		out.Buffer(nil, 1<<24)
		for out.Scan() {
			if _, err := c.Write([]byte(change(out.Text()) + "\n")); err != nil {
				return
			}
		}
	}()
	return l.Addr().String()
}

// The stand-in is what the document says, still and moving; without leave nothing that
// could move it is asked.
func TestCheckOfTheStandInRealTime(t *testing.T) {
	t.Parallel() // at its own pace: in a hurry it bears longer silence
	var out strings.Builder
	wrong, err := link.Check(t.Context(), device(t, 5, nil), link.CheckOptions{Out: &out})
	if wrong != 0 || err != nil || strings.Count(out.String(), "left   ") != 3 || strings.Contains(out.String(),
		"homing is begun") {
		t.Errorf("%d wrong, %v:\n%s", wrong, err, out.String())
	}
	out.Reset()
	asked := []string{}
	wrong, err = link.Check(t.Context(), device(t, 1, nil), link.CheckOptions{Out: &out, MayMove: func(q string) bool {
		asked = append(asked, q)
		return true
	}})
	if wrong != 0 || err != nil || len(asked) < 3 || !strings.Contains(out.String(), "every answer is right") {
		t.Errorf("%d wrong, %v, asked %q:\n%s", wrong, err, asked, out.String())
	}
	out.Reset()
	if _, err = link.Check(t.Context(), device(t, 5, nil), link.CheckOptions{Out: &out, MayMove: func(string) bool {
		return false
	}}); err != nil || strings.Contains(out.String(), "begun") {
		t.Errorf("refused, and it moved:\n%s", out.String())
	}
}

// A move that went wrong while this computer was held up is asked for once more, and what was found
// stands where it is not begun again, or is wrong each time.
func TestCheckWhereItWasHeldUp(t *testing.T) {
	for name, x := range map[string]struct {
		late   int // the first so many tries are held up
		by     time.Duration
		mends  int // from this try on the device does it right
		allows int
		asked  int // to home
		wrong  bool
	}{
		"not held up":           {0, 0, 9, 9, 1, true},
		"a little":              {9, 90 * time.Millisecond, 9, 9, 1, true},
		"once":                  {1, time.Second, 9, 9, 2, true},
		"once, and right then":  {1, time.Second, 2, 9, 2, false},
		"each time":             {9, time.Second, 9, 9, 4, true},
		"not allowed once more": {1, time.Second, 2, 1, 2, true},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			var out strings.Builder
			var asked atomic.Int64
			spoils := func(l string) string {
				if int(asked.Load()) < x.mends {
					l = strings.ReplaceAll(l, `"homed":true`, `"homed":false`)
				}
				return l
			}
			watched := 0
			wrong, err := link.Check(t.Context(), device(t, 50, spoils), link.CheckOptions{Out: &out,
				MayMove: func(q string) bool {
					return strings.Contains(q, "home all") && asked.Add(1) <= int64(x.allows)
				},
				HeldUp: func() time.Duration { // asked before a move and after it
					if watched++; watched%2 == 0 && watched/2 <= x.late {
						return x.by
					}
					return 0
				}})
			if err != nil || int(asked.Load()) != x.asked || (wrong > 0) != x.wrong {
				t.Errorf("%d wrong, %v, asked to home %d times, want %d:\n%s", wrong, err, asked.Load(), x.asked,
					out.String())
			}
			if strings.Contains(out.String(), "every answer is right") == x.wrong ||
				strings.Count(out.String(), "late ") != x.asked-1 {
				t.Errorf("what it says:\n%s", out.String())
			}
		})
	}
}

// What a device gets wrong is named.
func TestCheckNamesWhatIsWrong(t *testing.T) {
	for name, x := range map[string]struct {
		from, to, says string
		move           bool
	}{
		"version": {`"version":3`, `"version":1`, "WRONG  it speaks version 3: 1", false},
		"no reason": {`"why":"there is no request`, `"what":"there is no request`,
			"WRONG  a request that there is not", false},
		"mode":           {`"mode":"idle"`, `"mode":"resting"`, "WRONG  its mode", false},
		"drive":          {`"drive":"holding"`, `"drive":"on"`, "WRONG  its drives", false},
		"missing axis":   {`"focus":{"pos"`, `"foc":{"pos"`, "Focus says where it is", false},
		"no wires":       {`"wires":[`, `"cables":[`, "WRONG  it says what is on its wires", false},
		"lease":          {`"epoch":2`, `"epoch":1`, "WRONG  the next lease", false},
		"stops":          {`"stops":1`, `"stops":0`, "WRONG  stop, while nothing moves, is counted", false},
		"boot":           {`"boot":"`, `"boat":"`, "WRONG  it says with every answer which time", false},
		"stuck number":   {`"state":{"n":`, `"state":{"m":`, "WRONG  they are numbered", false},
		"never homed":    {`"homed":true`, `"homed":false`, "WRONG  Focus is homed", true},
		"homes silently": {`"mode":"homing"`, `"mode":"idle"`, "WRONG  its state says homing", true},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			var out strings.Builder
			o := link.CheckOptions{Out: &out}
			if x.move {
				o.MayMove = func(q string) bool { return strings.HasPrefix(q, "home") }
			}
			wrong, _ := link.Check(t.Context(), device(t, 5, func(l string) string {
				return strings.ReplaceAll(l, x.from, x.to)
			}), o)
			if wrong == 0 || !strings.Contains(out.String(), x.says) {
				t.Errorf("%d wrong, want %q:\n%s", wrong, x.says, out.String())
			}
		})
	}
	if _, err := link.Check(t.Context(), "127.0.0.1:1", link.CheckOptions{}); err == nil {
		t.Error("nobody answers, and nothing is said")
	}
}
