// Package stage is what happens on the day. Its rooms are machine (connection, lease, words),
// act (what is done with machines), ready (what keeps them from it) and camera; here takes are
// judged, and a whole day goes by without a browser. It knows no HTTP and no SQL.
package stage

import (
	"bufio"
	"context"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"os/exec"
	"strconv"
	"strings"
	"syscall"
	"time"

	"keenarc/core/clock"
	"keenarc/core/curve"
	"keenarc/core/geom"
	"keenarc/core/lens"
	"keenarc/core/limit"
	"keenarc/core/path"
	"keenarc/core/rig"
	"keenarc/core/seal"
	"keenarc/core/trace"
	"keenarc/examples"
	"keenarc/exchange"
	"keenarc/journal"
	"keenarc/link"
	"keenarc/stage/act"
	"keenarc/stage/machine"
	"keenarc/stage/ready"
)

// StandIn is a stand-in rig or camera in a process of its own.
type StandIn struct {
	Addr string
	cmd  *exec.Cmd
}

// StartStandIn runs "keenarc stand-in" with the given flags and waits for its address.
func StartStandIn(ctx context.Context, binary string, args ...string) (*StandIn, error) {
	return start(ctx, binary, "stand-in", args)
}

// StartStandInCamera runs "keenarc stand-in-camera" likewise.
func StartStandInCamera(ctx context.Context, binary string, args ...string) (*StandIn, error) {
	return start(ctx, binary, "stand-in-camera", args)
}

func start(ctx context.Context, binary, what string, args []string) (*StandIn, error) {
	cmd := exec.CommandContext(ctx, binary, append([]string{what}, args...)...)
	cmd.Cancel = func() error { return cmd.Process.Signal(os.Interrupt) }
	cmd.WaitDelay = 2 * time.Second
	// A group of its own: Ctrl-C reaches the application first, which stops the
	// rig in order; if the application dies, the stand-in ends with it.
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true, Pdeathsig: syscall.SIGINT}
	cmd.Stderr = os.Stderr
	out, err := cmd.StdoutPipe()
	if err != nil {
		return nil, err
	}
	if err := cmd.Start(); err != nil {
		return nil, fmt.Errorf("starting the %s: %w", what, err)
	}
	line, err := bufio.NewReader(out).ReadString('\n')
	if err != nil {
		_ = cmd.Wait()
		return nil, fmt.Errorf("the %s did not start: %w", what, err)
	}
	f := strings.Fields(line)
	return &StandIn{f[len(f)-1], cmd}, nil
}

// Process is the stand-in's process, for tests that kill it.
func (s *StandIn) Process() *os.Process { return s.cmd.Process }

// Close ends the stand-in and waits for it.
func (s *StandIn) Close() {
	_ = s.cmd.Process.Signal(os.Interrupt)
	_ = s.cmd.Wait()
}

// RollOptions are the choices of "keenarc roll".
type RollOptions struct {
	Keys   io.Reader
	Rig    string
	Passes int
	Kind   curve.Kind
	FPS    clock.Rate
	Factor clock.Rate
	Seed   uint64
	Pace   int
	Fault  string // passed to the stand-in: roll:axis:frame:by
	Binary string
	Out    io.Writer
	Log    *slog.Logger
}

// ErrBadInput marks what the caller got wrong, act.ErrNotAllowed what may not be
// rolled; both carry a sentence.
var ErrBadInput = errors.New("bad input")

// Roll does the whole job without a browser or a database: reads keyframes,
// checks, seals, starts a stand-in, homes, goes to the first frame, rolls the
// passes and judges them. It returns the verdict's word.
func Roll(ctx context.Context, o RollOptions) (string, error) {
	own := examples.Rigs()[o.Rig]
	switch {
	case own == nil:
		return "", fmt.Errorf("%w: --rig: there is no rig %q; use one of %s", ErrBadInput, o.Rig,
			strings.Join(examples.RigIDs(), ", "))
	case own.Camera == "":
		return "", fmt.Errorf("%w: --rig: %s carries no camera to judge by", ErrBadInput, own.Name)
	case o.Passes < 1 || o.Passes > 50:
		return "", fmt.Errorf("%w: --passes: %d; give 1 to 50", ErrBadInput, o.Passes)
	}
	machines := []rig.Placed{{Name: o.Rig, Rig: own}}
	r, err := rig.Join(machines)
	if err != nil {
		return "", err
	}
	l, set := examples.Camera(), examples.Harbour()
	p, err := exchange.PlanFromKeys(o.Keys, r, l, o.FPS, o.Kind)
	if err != nil {
		return "", fmt.Errorf("%w: %w", ErrBadInput, err)
	}
	if p, err = p.Apply(r, path.Edit{Op: "factor", Factor: &o.Factor}); err != nil {
		return "", fmt.Errorf("%w: %w", ErrBadInput, err)
	}
	table, brk, err := checkAndSeal(ctx, o.Out, p, r, machines)
	if err != nil {
		return "", err
	}
	args := []string{"--rig", o.Rig, "--seed", strconv.FormatUint(o.Seed, 10), "--pace", strconv.Itoa(o.Pace)}
	if o.Fault != "" {
		args = append(args, "--fault", o.Fault)
	}
	si, err := StartStandIn(ctx, o.Binary, args...)
	if err != nil {
		return "", err
	}
	defer si.Close()
	j := &journal.Memory{}
	f := machine.New(own.ID, own.Name, func(ctx context.Context) (link.Rig, error) {
		return link.Dial(ctx, si.Addr)
	}, j, o.Log)
	c := act.NewConductor(machine.NewSet(f), o.Log)
	run, stop := context.WithCancel(ctx)
	ended := make(chan struct{})
	go func() { defer close(ended); c.Run(run) }()
	takes, err := rollPasses(ctx, c, f, o, table, brk)
	stop()
	<-ended
	if err != nil {
		return "", err
	}
	return verdict(ctx, o, r, l, set, table, takes)
}

func checkAndSeal(ctx context.Context, out io.Writer, p *path.Path, r *rig.Rig, machines []rig.Placed) (*seal.Table,
	*limit.Braking, error) {
	m, a, err := limit.Analyse(p, r)
	if err != nil {
		return nil, nil, fmt.Errorf("%w: %w", ErrBadInput, err)
	}
	fmt.Fprintf(out, "path      %d pictures, %04d–%04d, at %.4g fps\n", m.Last-m.First, m.First, m.Last-1,
		p.Clock().FPS())
	for i, x := range a.Report.Axes {
		_, own := rig.Split(x.Axis)
		fmt.Fprintf(out, "check     %-8s speed %3.0f%%  acceleration %3.0f%%  jerk %3.0f%%  range %.4g to %.4g %s\n",
			own, x.Speed.Share*100, x.Acceleration.Share*100, x.Jerk.Share*100, x.Low, x.High, r.Axes[i].Unit)
	}
	for _, s := range a.Sentences {
		fmt.Fprintf(out, "finding   %s\n", s)
	}
	for _, rem := range a.Remedies {
		fmt.Fprintf(out, "remedy    %s\n", rem.Text)
	}
	if len(a.Sentences) > 0 {
		return nil, nil, fmt.Errorf("%w: %s", act.ErrNotAllowed, a.Sentences[0])
	}
	t, b, err := seal.Make(ctx, p, machines)
	if err != nil {
		return nil, nil, fmt.Errorf("%w: %w", act.ErrNotAllowed, err)
	}
	fmt.Fprintf(out, "sealed    %s\nstops     within %.2f s, %.2f m along the path\n", seal.Short(t.Fingerprint()),
		b.Seconds, b.TravelM)
	return t, b, nil
}

func rollPasses(ctx context.Context, c *act.Conductor, f *machine.Machine, o RollOptions, table *seal.Table,
	brk *limit.Braking) ([]*journal.Take, error) {
	now := func() machine.Press { return c.Arbiter.Pressed(machine.Owner{Who: journal.Shell}, "", 0) }
	still := func() error {
		return f.Until(ctx, func(s machine.Snapshot) bool {
			return c.Arbiter.Of(machine.Claim{Machine: f.ID()}) == nil
		})
	}
	if err := f.Until(ctx, func(s machine.Snapshot) bool { return s.Connected && s.Leased }); err != nil {
		return nil, err
	}
	if err := c.Home(ctx, now(), f.ID(), act.Homing{Times: 1}); err != nil {
		return nil, err
	}
	if err := still(); err != nil {
		return nil, err
	}
	for id, a := range f.Now().State.Axes { // nobody is there to look, and it is a stand-in
		if a.Waits == "" {
			continue
		}
		if err := c.Confirm(ctx, now(), f.ID(), []string{id}, a.Waits); err != nil {
			return nil, err
		}
	}
	fmt.Fprintln(o.Out, "homed     all axes")
	sum := table.Fingerprint()
	print := hex.EncodeToString(sum[:])
	c.Load(f, o.Rig, table, print)
	if err := f.Loaded(ctx, print); err != nil {
		return nil, err
	}
	var takes []*journal.Take
	for n := 1; n <= o.Passes; n++ {
		p := &act.Pass{ID: strconv.Itoa(n), Name: "pass", Number: n, Machine: o.Rig, Table: table, Print: print,
			Clock: clock.Times(o.Factor), BrakeS: brk.Seconds}
		to, _ := ready.PoseAt(table, o.Rig, table.Start())
		if _, err := c.Go(ctx, now(), f.ID(), func(context.Context) (act.Going, error) {
			return act.Going{To: to, Text: "To the first frame."}, nil
		}); err != nil {
			return nil, err
		}
		if err := still(); err != nil {
			return nil, err
		}
		t, err := RollHeld(ctx, c, now(), f.ID(), p)
		if err != nil {
			return nil, err
		}
		end := "to the end"
		if t.Broken {
			end = fmt.Sprintf("broken off at %04.0f: %s", t.Frame, t.Why)
		}
		fmt.Fprintf(o.Out, "pass %-4d %d samples, %s\n", n, t.Rows, end)
		takes = append(takes, t)
	}
	return takes, nil
}

// RollHeld rolls with this process as the hold: it beats while it runs, and
// an interrupt lets go.
func RollHeld(ctx context.Context, c *act.Conductor, a machine.Press, id string, p *act.Pass) (*journal.Take, error) {
	h, err := c.Roll(ctx, a, id, journal.NewID(), func(context.Context) (act.Rolling, error) {
		return act.Rolling{Pass: p}, nil
	}, func() bool { return ctx.Err() == nil })
	if err != nil {
		return nil, err
	}
	beat := time.NewTicker(link.BeatMS * time.Millisecond)
	defer beat.Stop()
	cancelled, gone := ctx.Done(), false // there may be nobody who can cancel
	for {
		select {
		case <-h.Done():
			h.Release()
			return h.Take(), nil
		case <-cancelled:
			h.Release()
			cancelled, gone = nil, true
		case <-beat.C:
			if !gone {
				_ = h.Beat()
			}
		}
	}
}

func verdict(ctx context.Context, o RollOptions, r *rig.Rig, l *lens.Package, set *geom.Set, table *seal.Table,
	takes []*journal.Take) (string, error) {
	j, err := NewJudge(r, l, set, table, trace.ThresholdPx)
	if err != nil {
		return "", err
	}
	word := trace.Stacks
	for i, t := range takes {
		var ref *journal.Take
		if i > 0 {
			ref = takes[0]
		}
		f, err := j.Take(ctx, t, ref)
		if err != nil {
			return "", err
		}
		fmt.Fprintf(o.Out, "pass %-4d from the seal: at most %.3f px, at %s (%s)\n", i+1, f.Deviation.WorstPx,
			limit.Frame4(float64(f.Deviation.WorstFrame)), f.Deviation.WorstPoint)
		v := f.Verdict
		if v == nil && len(takes) == 1 {
			v = f.Deviation
		}
		if v == nil {
			continue
		}
		if ref != nil {
			fmt.Fprintf(o.Out, "pass %-4d against pass 1: at most %.3f px, at %s (%s)\n", i+1, v.WorstPx,
				limit.Frame4(float64(v.WorstFrame)), v.WorstPoint)
		}
		if v.Word != trace.Stacks {
			word = trace.Off
		}
	}
	for _, u := range trace.Unseen(r) {
		fmt.Fprintf(o.Out, "unseen    %s\n", u)
	}
	fmt.Fprintf(o.Out, "verdict   %s\n", word)
	return word, nil
}
