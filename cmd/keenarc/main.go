// Command keenarc is the one binary: server, demo, calculations and the tools
// around them. It holds flags only; see the rooms for the work.
package main

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"os/signal"
	"strconv"
	"strings"
	"syscall"

	"github.com/alecthomas/kong"

	"keenarc/calc"
	"keenarc/core/clock"
	"keenarc/core/curve"
	"keenarc/core/rig"
	"keenarc/examples"
	"keenarc/link"
	"keenarc/stage"
	"keenarc/standin"
	"keenarc/standin/camera"
	"keenarc/web"
)

type cli struct {
	Demo    demoCmd    `cmd:"" help:"Start everything with the demo production and serve."`
	Serve   serveCmd   `cmd:"" help:"Serve with a database and a rig that are there already."`
	OpenAPI openAPICmd `cmd:"" name:"openapi" help:"Print the API's description."`
	Schema  schemaCmd  `cmd:"" name:"rig-schema" help:"Print the JSON Schema of rig descriptions."`
	Rules   rulesCmd   `cmd:"" help:"Print what the interface needs of the rules, as TypeScript."`
	Calc    calcCmd    `cmd:"" help:"Run a calculation: request on standard input, answer on standard output."`
	Roll    rollCmd    `cmd:"" help:"Check, seal, roll and judge keyframes on a stand-in rig, without a browser."`
	StandIn standInCmd `cmd:"" name:"stand-in" help:"Run a simulated rig on loopback."`
	Camera  cameraCmd  `cmd:"" name:"stand-in-camera" help:"Run a simulated still camera on loopback, carried by a simulated rig."`
	Check   checkCmd   `cmd:"" name:"link-check" help:"Play the rig link's messages against a device and say which answers are wrong."`
}

// exit is an error that carries its exit code; an empty text was said already.
type exit struct {
	code int
	text string
}

func (e exit) Error() string { return e.text }

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	var c cli
	k := kong.Must(&c, kong.Name("keenarc"), kong.Description("Plan camera moves and replay them identically."),
		kong.UsageOnError(),
		kong.BindTo(ctx, (*context.Context)(nil)), kong.Exit(func(code int) {
			os.Exit(map[bool]int{true: 0, false: 2}[code == 0])
		}))
	kc, err := k.Parse(os.Args[1:])
	if err != nil {
		fmt.Fprintln(os.Stderr, "keenarc:", err)
		os.Exit(2)
	}
	err = kc.Run()
	var e exit
	switch {
	case errors.As(err, &e):
		if e.text != "" {
			fmt.Fprintln(os.Stderr, "keenarc:", e.text)
		}
		os.Exit(e.code)
	case err != nil:
		fmt.Fprintln(os.Stderr, "keenarc:", err)
		os.Exit(1)
	}
}

type calcCmd struct {
	Name     string `arg:"" optional:"" help:"The calculation."`
	List     bool   `help:"List the calculations."`
	Schema   string `help:"Print the JSON Schema of a calculation." placeholder:"NAME"`
	Markdown bool   `help:"Print docs/calc.md."`
}

func (c *calcCmd) Run(ctx context.Context) error {
	switch {
	case c.List:
		for _, e := range calc.List() {
			fmt.Printf("%-13s %s\n", e.Name, e.Doc)
		}
		return nil
	case c.Schema != "":
		return printOr2(calc.Schema(c.Schema))
	case c.Markdown:
		return printOr2(calc.Markdown())
	case c.Name == "":
		return exit{2, "name a calculation; keenarc calc --list shows them"}
	}
	in, err := io.ReadAll(io.LimitReader(os.Stdin, int64(calc.CommandLine.RequestBytes)+1))
	if err != nil {
		return exit{2, "reading the request: " + err.Error()}
	}
	answer, status := calc.Prepare(ctx, c.Name, in, calc.CommandLine)
	if err := answer.Write(ctx, os.Stdout); err != nil {
		return err
	}
	if status != calc.OK {
		return exit{2, ""}
	}
	return nil
}

func printOr2(b []byte, err error) error {
	if err != nil {
		return exit{2, err.Error()}
	}
	_, err = os.Stdout.Write(b)
	return err
}

type rollCmd struct {
	Keys   string `arg:"" help:"Keyframes as CSV: frame,track_mm,pan_deg,…"`
	Rig    string `default:"plank" help:"The rig."`
	Passes int    `default:"2" help:"How many passes."`
	Kind   string `default:"smooth" help:"Curve: smooth, through, natural, clamped, monotone, akima, tcb, quintic, ramp, handles, linear, hold or ahead."`
	FPS    string `default:"24" help:"Frames per second, as 24 or 24000/1001."`
	Factor string `default:"1" help:"Rate factor, as 1, 3 or 907/1000."`
	Seed   uint64 `default:"1" help:"Seed of the stand-in's repeatability."`
	Pace   int    `default:"20" help:"How many times faster than real time the stand-in runs."`
	Fault  string `help:"Let the stand-in lose steps: ROLL:AXIS:FRAME:BY, for trying things out."`
}

func (c *rollCmd) Run(ctx context.Context) error {
	fps, err := rate(c.FPS)
	if err != nil {
		return exit{2, "--fps: " + err.Error()}
	}
	factor, err := rate(c.Factor)
	if err != nil {
		return exit{2, "--factor: " + err.Error()}
	}
	if !curve.Kind(c.Kind).Known() {
		return exit{2, fmt.Sprintf("--kind: %q is not a curve; use one of %v", c.Kind, curve.Kinds)}
	}
	in, err := os.Open(c.Keys)
	if err != nil {
		return exit{2, "KEYS: " + err.Error()}
	}
	defer in.Close()
	bin, err := os.Executable()
	if err != nil {
		return err
	}
	word, err := stage.Roll(ctx, stage.RollOptions{Keys: in, Rig: c.Rig, Passes: c.Passes, Kind: curve.Kind(c.Kind),
		FPS: fps, Factor: factor,
		Seed: c.Seed, Pace: c.Pace, Fault: c.Fault, Binary: bin, Out: os.Stdout, Log: slog.New(
			slog.NewTextHandler(os.Stderr, nil))})
	switch {
	case errors.Is(err, stage.ErrBadInput):
		return exit{2, err.Error()}
	case err != nil:
		fmt.Println("verdict   off")
		return exit{1, err.Error()}
	case word != "stacks":
		return exit{1, ""}
	}
	return nil
}

func rate(s string) (clock.Rate, error) {
	n, d, frac := strings.Cut(s, "/")
	r := clock.Rate{Den: 1}
	var err error
	if r.Num, err = strconv.ParseInt(n, 10, 64); err == nil && frac {
		r.Den, err = strconv.ParseInt(d, 10, 64)
	}
	if err != nil || r.Check("rate") != nil {
		return r, fmt.Errorf("%q is not a rate; give a whole number or a fraction, as 24 or 24000/1001", s)
	}
	return r, nil
}

type standInCmd struct {
	Rig    string    `default:"plank" help:"Which rig to be."`
	File   string    `help:"A rig description to be instead, as the rig book exports it."`
	Listen string    `default:"127.0.0.1:0" help:"Loopback address."`
	Seed   uint64    `default:"1" help:"Seed of its repeatability."`
	Pace   int       `default:"1" help:"How many times faster than real time."`
	Homed  bool      `help:"Be homed already, what can do it by itself."`
	Fault  []string  `help:"Lose steps: ROLL:AXIS:FRAME:BY."`
	Place  []float64 `help:"Where it really stands: x,y,z in metres and its turn in degrees." placeholder:"X,Y,Z,TURN"`
}

func (c *standInCmd) Run(ctx context.Context) error {
	r := examples.Rigs()[c.Rig]
	if r == nil {
		return exit{2, fmt.Sprintf("--rig: there is no rig %q; use one of %s", c.Rig,
			strings.Join(examples.RigIDs(), ", "))}
	}
	if c.File != "" {
		raw, err := os.ReadFile(c.File)
		if err != nil {
			return exit{2, "--file: " + err.Error()}
		}
		if r, err = rig.Read(raw); err != nil {
			return exit{2, "--file: " + err.Error()}
		}
	}
	o := standin.Options{Rig: r, Seed: c.Seed, Pace: c.Pace, Homed: c.Homed}
	if len(c.Place) > 0 {
		if len(c.Place) != 4 {
			return exit{2, "--place: give four numbers, x,y,z,turn"}
		}
		o.Place = rig.Place{At: rig.Vec{c.Place[0], c.Place[1], c.Place[2]}, TurnDeg: c.Place[3]}
	}
	for _, s := range c.Fault {
		f, err := standin.ParseFault(s, r)
		if err != nil {
			return exit{2, "--fault: " + err.Error()}
		}
		o.Faults = append(o.Faults, f)
	}
	s, err := standin.Listen(o, c.Listen)
	if err != nil {
		return exit{2, err.Error()}
	}
	fmt.Println("stand-in rig", r.Name, "on", s.Addr())
	return s.Run(ctx)
}

type cameraCmd struct {
	Rig    string `required:"" help:"Address of the stand-in rig that carries it."`
	Folder string `required:"" help:"Where it keeps pictures until they are acknowledged."`
	Listen string `default:"127.0.0.1:0" help:"Loopback address."`
	Width  int    `help:"Width of its pictures in pixels; the camera's own where it is left out."`
	Quick  bool   `negatable:"" help:"Expose for no time at all."`
}

func (c *cameraCmd) Run(ctx context.Context) error {
	if c.Width != 0 && (c.Width < 32 || c.Width > 4096) {
		return exit{2, fmt.Sprintf("--width: %d; give 32 to 4096", c.Width)}
	}
	s, err := camera.Listen(camera.Options{Folder: c.Folder, Rig: c.Rig, Camera: examples.BenchCamera(),
		Set: examples.ClockRoom(), Quick: c.Quick, WidthPx: c.Width}, c.Listen)
	if err != nil {
		return exit{2, err.Error()}
	}
	fmt.Println("stand-in camera on", s.Addr())
	return s.Run(ctx)
}

type checkCmd struct {
	Addr    string `arg:"" name:"address" help:"HOST:PORT of the device."`
	MayMove bool   `help:"Also try what moves it, after a key for each move. Clear the zone first, and stand at the hardware stop."`
}

func (c *checkCmd) Run(ctx context.Context) error {
	o := link.CheckOptions{Out: os.Stdout}
	if c.MayMove {
		in := bufio.NewReader(os.Stdin)
		o.MayMove = func(q string) bool {
			fmt.Printf("may it %s? Everyone clear, a hand at the hardware stop. y and Enter moves it: ", q)
			line, err := in.ReadString('\n')
			return err == nil && strings.TrimSpace(line) == "y"
		}
	}
	wrong, err := link.Check(ctx, c.Addr, o)
	switch {
	case err != nil && wrong == 0:
		return exit{2, err.Error()}
	case wrong > 0:
		return exit{1, ""}
	}
	return nil
}

type demoCmd struct {
	Listen string `default:"127.0.0.1:7420" help:"Loopback address; another free port is taken when it is in use."`
	Folder string `default:".keenarc" help:"For the database and the spool."`
	URL    string `name:"database" env:"KEENARC_DATABASE_URL" help:"Use this PostgreSQL instead of starting one."`
	Seed   uint64 `default:"1" help:"Seed of the stand-in rig."`
	Reset  bool   `help:"Throw everything away first."`
	Film   bool   `name:"pictures" default:"true" negatable:"" help:"Take the pictures of the demo's shoot that are there already."`
}

func (c *demoCmd) Run(ctx context.Context) error {
	bin, err := os.Executable()
	if err != nil {
		return err
	}
	o := web.Options{Listen: c.Listen, Folder: c.Folder, URL: c.URL, Binary: bin, Seed: c.Seed, Demo: true,
		Reset: c.Reset,
		Out:   os.Stdout, Log: slog.New(slog.NewTextHandler(os.Stderr, nil))}
	if c.Film {
		o.Film = camera.Film
	}
	return web.Run(ctx, o)
}

type serveCmd struct {
	Listen string   `default:"127.0.0.1:7420" help:"Loopback address."`
	Folder string   `default:".keenarc" help:"For the spool."`
	URL    string   `name:"database" env:"KEENARC_DATABASE_URL" required:"" help:"PostgreSQL."`
	Rig    []string `required:"" help:"Address of a rig as ID=ADDRESS; may be given again."`
	Camera string   `help:"Address of a camera that speaks the camera link."`
}

func (c *serveCmd) Run(ctx context.Context) error {
	return web.Run(ctx, web.Options{Listen: c.Listen, Folder: c.Folder, URL: c.URL, Rigs: c.Rig, Camera: c.Camera,
		Out: os.Stdout, Log: slog.New(slog.NewTextHandler(os.Stderr, nil))})
}

type openAPICmd struct{}

func (openAPICmd) Run() error { return printOr2(web.Describe()) }

type schemaCmd struct{}

func (schemaCmd) Run() error { return printOr2(web.RigSchema()) }

type rulesCmd struct{}

func (rulesCmd) Run() error { return printOr2(web.Rules()) }
