package e2e

import (
	"context"
	"errors"
	"os"
	"os/exec"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/chromedp"
)

// Tests are of two kinds, which tools/e2e runs beside each other. Those that are about real time,
// or measure, are alone: one after another, and nothing that is as urgent beside them. All others
// are beside: three at a time, on machines in a hurry, and they yield to whatever else there is.
// Who holds has a browser of its own, in which nobody else takes the focus; so has who is alone.
const kinds = "KEENARC_E2E" // alone or beside; empty: all

var aloneTests, ownBrowsers, finderTests sync.Map // by the name of the test

func alone(t *testing.T) {
	if os.Getenv(kinds) == "beside" {
		t.Skip("it runs alone")
	}
	aloneTests.Store(t.Name(), true)
	ownBrowsers.Store(t.Name(), true)
}

// holds is beside, with a browser of its own.
func holds(t *testing.T) {
	beside(t)
	ownBrowsers.Store(t.Name(), true)
}

// finder is for tests that look at the finder's picture: of those beside, all others have a browser
// that shows no 3D, since its software renderer would take a third of the processors for what nobody
// looks at.
func finder(t *testing.T) { finderTests.Store(t.Name(), true) }

func is(t *testing.T, kind *sync.Map) bool {
	name, _, _ := strings.Cut(t.Name(), "/")
	_, is := kind.Load(name)
	return is
}

func beside(t *testing.T) {
	if os.Getenv(kinds) == "alone" {
		t.Skip("it runs beside others")
	}
	t.Parallel()
}

// newBrowser starts one, which yields to the application and the rig, as it would on a desk of
// its own. It composes its pages itself, as where there is no graphics processor; only the finder
// is drawn by the software renderer.
func newBrowser(finder bool) (context.Context, func(), error) {
	opts := []chromedp.ExecAllocatorOption{chromedp.NoFirstRun, chromedp.NoDefaultBrowserCheck, chromedp.Headless,
		chromedp.NoSandbox,
		chromedp.Flag("disable-background-networking", true), chromedp.Flag("disable-component-update", true),
		chromedp.Flag("disable-sync", true),
		chromedp.Flag("use-angle", "swiftshader"), chromedp.Flag("enable-unsafe-swiftshader", true),
		chromedp.Flag("disable-3d-apis", !finder), chromedp.Flag("disable-quic", true),
		chromedp.Flag("disable-background-timer-throttling", true), chromedp.Flag(
			"disable-renderer-backgrounding", true),
		chromedp.Flag("disable-backgrounding-occluded-windows", true), chromedp.Flag("hide-scrollbars", false),
		chromedp.Flag("disable-gpu-compositing", os.Getenv("KEENARC_MEASURE") != "emulated"),
		chromedp.WindowSize(1280, 800),
		chromedp.WSURLReadTimeout(60 * time.Second), chromedp.ExecPath("chromium-headless-shell"),
		chromedp.ModifyCmdFunc(func(cmd *exec.Cmd) { under(cmd, "nice", "-n", "6") })}
	if os.Geteuid() == 0 { // root's browser would put itself before everybody else
		opts = append(opts, chromedp.ModifyCmdFunc(func(cmd *exec.Cmd) {
			under(cmd, "setpriv", "--bounding-set=-sys_nice", "--inh-caps=-sys_nice", "nice", "-n", "6")
		}))
	}
	actx, c1 := chromedp.NewExecAllocator(context.Background(), opts...)
	ctx, c2 := chromedp.NewContext(actx, chromedp.WithErrorf(func(string, ...any) {}))
	return ctx, func() { c2(); c1() }, chromedp.Do(ctx)
}

// under has a command run under another.
func under(cmd *exec.Cmd, name string, args ...string) {
	if path, err := exec.LookPath(name); err == nil {
		cmd.Args = append(append([]string{path}, args...), append([]string{cmd.Path}, cmd.Args[1:]...)...)
		cmd.Path = path
	}
}

// browser is one that several tests share.
type browser struct {
	mu  sync.Mutex
	ctx context.Context
	end func()
}

// shared is the browser of all tests that need none of their own, withFinder that of those which
// look at the finder.
var shared, withFinder browser

func (b *browser) open(finder bool) (context.Context, error) {
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.ctx != nil && b.ctx.Err() == nil {
		return b.ctx, nil
	}
	ctx, end, err := newBrowser(finder)
	if err != nil {
		end()
		return nil, errors.Join(errors.New("no browser"), err)
	}
	b.ctx, b.end = ctx, end
	return ctx, nil
}

func (b *browser) close() {
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.end != nil {
		b.end()
	}
}

// tab is a page that has nothing in common with any other: in a browser of its own where the
// test is one of those, in the shared one otherwise, where it believes that it has the focus.
func tab(t *testing.T) (context.Context, func()) {
	t.Helper()
	looks := is(t, &finderTests) || is(t, &aloneTests) || os.Getenv("KEENARC_PICTURES") != ""
	if is(t, &ownBrowsers) {
		ctx, end, err := newBrowser(looks)
		if err != nil {
			end()
			t.Fatal(err)
		}
		return ctx, end
	}
	which := &shared
	if looks {
		which = &withFinder
	}
	browser, err := which.open(looks)
	if err != nil {
		t.Fatal(err)
	}
	ctx, end := chromedp.NewContext(browser, chromedp.WithNewBrowserContext())
	if err := chromedp.Do(ctx); err != nil {
		t.Fatal(err)
	}
	if _, err := chromedp.Call(ctx, emulation.SetFocusEmulationEnabled,
		emulation.SetFocusEmulationEnabledParams{Enabled: true}); err != nil {
		t.Fatal(err)
	}
	return ctx, end
}
