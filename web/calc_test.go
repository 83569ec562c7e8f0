package web

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"math"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/coder/websocket"
	"github.com/coder/websocket/wsjson"

	"keenarc/calc"
	"keenarc/core/clock"
	"keenarc/core/trace"
	"keenarc/examples"
	"keenarc/journal"
	"keenarc/link"
	"keenarc/stage/camera"
	"keenarc/stage/machine"
	"keenarc/standin"
	"keenarc/store"
)

// full is the largest answer that the web gives, in a request of eighty bytes.
const full = `{"rate_hz":199998,"keys":{"t_s":[0,1],"axes":{"a":[0,1]}}}`

// The web's bounds are narrower than the command line's, in the same words.
func TestCalcBoundsOverTheWeb(t *testing.T) {
	over := strings.Replace(full, "199998", "200001", 1)
	code, b := do("POST", "/api/calc/curve", over)
	if code != 422 || !strings.Contains(b, `"field":"rate_hz"`) || !strings.Contains(b, "200000 samples") {
		t.Errorf("%d %.300s", code, b)
	}
	if _, st := calc.Run("curve", []byte(over)); st != calc.OK {
		t.Error("the command line refuses what is within its own bound")
	}
	code, b = do("POST", "/api/calc/curve", full)
	want, _ := calc.Run("curve", []byte(full))
	if code != 200 || b != string(want) {
		t.Errorf("%d, %d bytes of %d", code, len(b), len(want))
	}
}

// A few at a time, the others are told so. A request that is slow in coming takes no place.
func TestCalcIsAnsweredAFewAtATime(t *testing.T) {
	srv := New(nil, machine.NewSet(), camera.NewEye("", slog.Default()), slog.New(slog.NewTextHandler(io.Discard, nil)))
	srv.computing = newTurns(1)
	at := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		r.SetPathValue("name", "curve")
		srv.calc(w, r)
	}))
	defer at.Close()
	slow, err := net.Dial("tcp", at.Listener.Addr().String())
	if err != nil {
		t.Fatal(err)
	}
	defer slow.Close()
	if _, err := slow.Write([]byte("POST / HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: 1000\r\n\r\n{")); err != nil {
		t.Fatal(err)
	}
	ask := func() int {
		r, err := http.Post(at.URL, "application/json", strings.NewReader("{}"))
		if err != nil {
			t.Fatal(err)
		}
		defer r.Body.Close()
		return r.StatusCode
	}
	time.Sleep(50 * time.Millisecond)
	if code := ask(); code == http.StatusTooManyRequests {
		t.Error("a request that is being read takes a place")
	}
	held, err := srv.computing.enter(t.Context(), "", "something long", mostQueued)
	if err != nil {
		t.Fatal(err)
	}
	r, err := http.Post(at.URL, "application/json", strings.NewReader("{}"))
	if err != nil {
		t.Fatal(err)
	}
	b, _ := io.ReadAll(r.Body)
	r.Body.Close()
	var e struct{ Error calc.FieldError }
	if json.Unmarshal(b, &e) != nil || r.StatusCode != http.StatusTooManyRequests || !strings.Contains(e.Error.Want,
		"try again") || r.Header.Get("Retry-After") == "" {
		t.Errorf("%d %s", r.StatusCode, b)
	}
	srv.computing.leave(held)
	if code := ask(); code == http.StatusTooManyRequests {
		t.Errorf("once there is room: %d", code)
	}
}

// An answer stops being worked out when its context ends or nobody takes it.
func TestCalcStopsWhenNobodyListens(t *testing.T) {
	a, st := calc.Prepare(t.Context(), "curve", []byte(full), calc.Web)
	if st != calc.OK {
		t.Fatal("refused")
	}
	ctx, cancel := context.WithCancel(t.Context())
	n := 0
	err := a.Write(ctx, writer(func(b []byte) (int, error) {
		if n += len(b); n > 100_000 {
			cancel()
		}
		return len(b), nil
	}))
	if !errors.Is(err, context.Canceled) || n > 1_000_000 {
		t.Errorf("%d bytes were written after the client had gone: %v", n, err)
	}
	if err := a.Write(t.Context(), writer(func([]byte) (int, error) { return 0, io.ErrClosedPipe })); !errors.Is(err,
		io.ErrClosedPipe) {
		t.Errorf("a broken wire: %v", err)
	}
}

type writer func([]byte) (int, error)

func (w writer) Write(b []byte) (int, error) { return w(b) }

// willing is a journal that lets everybody drive: another server has the database's
// own right to drive Plank.
type willing struct{ *store.Journal }

func (willing) Drive(ctx context.Context, machine string) (journal.Right, error) {
	return (&journal.Memory{}).Drive(ctx, machine)
}

// A roll goes on while calculations come in as fast as they can.
//
//revive:disable-next-line:function-length a whole job, step by step
func TestARollIsNotDisturbedInRealTime(t *testing.T) {
	if testing.Short() {
		t.Skip("rolls in real time")
	}
	log := slog.New(slog.NewTextHandler(io.Discard, nil))
	ctx, stop := context.WithCancel(t.Context())
	var wg sync.WaitGroup
	defer wg.Wait()
	defer stop()
	rigServer, err := standin.Listen(standin.Options{Rig: examples.Rigs()["plank"], Pace: 1}, "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	j, err := store.NewJournal(running.Store, t.TempDir(), log)
	if err != nil {
		t.Fatal(err)
	}
	floor := machine.New("plank", "Plank", func(ctx context.Context) (link.Rig, error) {
		return link.Dial(ctx, rigServer.Addr())
	}, willing{j}, log)
	srv := New(running.Store, machine.NewSet(floor), camera.NewEye("", log), log)
	at := httptest.NewServer(srv.Handler())
	defer at.Close()
	for _, run := range []func(){func() { _ = rigServer.Run(ctx) }, func() { srv.conductor.Run(ctx) }, func() {
		srv.RunJudge(ctx)
	}} {
		wg.Go(run)
	}
	id := fresh(t, "CL-1")
	for i, e := range []string{`{"op":"set","frame":0,"values":{"track":300}}`,
		`{"op":"set","frame":96,"values":{"track":500}}`} {
		if code, b := do("POST", "/api/shots/"+id+"/edits", `{"revision":`+itoa(i)+`,"edit":`+e+`}`); code != 200 {
			t.Fatal(b)
		}
	}
	if code, b := do("POST", "/api/shots/"+id+"/seal", `{"revision":2}`); code != 200 {
		t.Fatal(b)
	}
	var ps []PassView
	_, b := do("GET", "/api/shots/"+id+"/passes", "")
	if err := fromJSON(b, &ps); err != nil {
		t.Fatal(err)
	}
	post := func(path, body string) {
		t.Helper()
		r, err := http.Post(at.URL+path, "application/json", strings.NewReader(body))
		if err != nil || r.StatusCode/100 != 2 {
			t.Fatal(path, err, r)
		}
		r.Body.Close()
	}
	rests := func() link.State {
		t.Helper()
		for late := time.Now().Add(60 * time.Second); ; time.Sleep(20 * time.Millisecond) {
			s := floor.Now()
			if s.Leased && len(srv.conductor.Arbiter.Doing()) == 0 && s.State.Mode == link.Idle && s.State.N > 3 {
				return s.State
			}
			if time.Now().After(late) {
				t.Fatalf("the rig is %s", s.State.Mode)
			}
		}
	}
	heldUp := link.WatchHeldUp(ctx)
	// reach begins a motion, and begins it again where it was broken off while this computer was held up.
	reach := func(what string, there func(link.State) bool) {
		t.Helper()
		for try := 1; ; try++ {
			heldUp.Longest()
			post("/api/machines/plank/"+what, `{"shot":"`+id+`"}`)
			if there(rests()) {
				return
			}
			late := heldUp.Longest()
			t.Logf("%s: try %d did not get there; this computer was held up for %v", what, try, late)
			if !link.TooLong(late) || try == 5 {
				t.FailNow()
			}
		}
	}
	first := func(s link.State) bool { return math.Abs(s.Asked("track")-300) < 0.1 }
	rests()
	reach("home", func(s link.State) bool { return s.Homed("track") })
	reach("goto", first)

	hold, _, err := websocket.Dial(ctx, strings.Replace(at.URL, "http", "ws", 1)+"/api/hold?shot="+id+"&pass="+
		ps[0].ID, nil)
	if err != nil {
		t.Fatal(err)
	}
	defer hold.CloseNow()
	// A page that is opened has its path loaded.
	if err := floor.Until(ctx, func(s machine.Snapshot) bool { return s.State.Print != "" }); err != nil {
		t.Fatal(err)
	}
	// Where other work holds this computer up a hold may be lost by itself: of six rolls one must go
	// through. With calculations that take all of it none would. Nothing else ends a roll.
	var name atomic.Pointer[string]
	press := func() {
		t.Helper()
		one := journal.NewID()
		name.Store(&one)
		if err := wsjson.Write(ctx, hold, holdWord{Press: one}); err != nil {
			t.Fatal(err)
		}
	}
	press()
	over, end := context.WithCancel(ctx)
	wg.Go(func() {
		for n, tk := int64(1), time.NewTicker(link.BeatMS*time.Millisecond); over.Err() == nil; n++ {
			<-tk.C
			_ = wsjson.Write(over, hold, holdWord{Press: *name.Load(), Beat: n})
		}
	})
	var answered, refused atomic.Int64
	if os.Getenv("KEENARC_LONG") != "" { // proofs of a move of a million frames, which take a while
		long := fresh(t, "WB-8")
		for k, e := range []string{`{"op":"set","frame":0,"values":{"track":200,"pan":5}}`,
			`{"op":"set","frame":1000000,"values":{"track":900,"pan":-5}}`} {
			if code, b := do("POST", "/api/shots/"+long+"/edits", `{"revision":`+itoa(k)+`,"edit":`+e+
				`}`); code != 200 {
				t.Fatal(b)
			}
		}
		for range 3 {
			wg.Go(func() {
				for over.Err() == nil {
					q, err := http.NewRequestWithContext(over, "GET", at.URL+"/api/shots/"+long+"/proof", nil)
					if err != nil {
						return
					}
					if r, err := http.DefaultClient.Do(q); err == nil {
						r.Body.Close()
					}
				}
			})
		}
	}
	for range 8 {
		wg.Go(func() {
			for over.Err() == nil {
				q, err := http.NewRequestWithContext(over, "POST", at.URL+"/api/calc/curve", strings.NewReader(full))
				if err != nil {
					return
				}
				r, err := http.DefaultClient.Do(q)
				if err != nil {
					continue
				}
				_, _ = io.Copy(io.Discard, r.Body)
				r.Body.Close()
				if r.StatusCode == 200 {
					answered.Add(1)
				} else {
					refused.Add(1)
					time.Sleep(5 * time.Millisecond)
				}
			}
		})
	}
	for {
		var m holdSays
		if err := wsjson.Read(ctx, hold, &m); err != nil {
			t.Fatal(err)
		}
		if m.Refused != "" {
			t.Fatal(m.Refused)
		}
		if m.Ended != nil && m.Ended.Broken && m.Ended.Number < 6 {
			late := heldUp.Longest()
			t.Logf("take %d: %s; this computer was held up for %v", m.Ended.Number, m.Ended.Why, late)
			if !link.TooLong(late) {
				t.Fatal("and that is no reason")
			}
			reach("goto", first)
			press()
			continue
		}
		if m.Ended != nil {
			end()
			if m.Ended.Broken || m.Ended.Rows != 4009 {
				t.Errorf("the take: broken %v (%s), %d rows", m.Ended.Broken, m.Ended.Why, m.Ended.Rows)
			}
			break
		}
	}
	if answered.Load() == 0 || refused.Load() == 0 {
		t.Errorf("%d calculations were answered beside the roll, %d refused", answered.Load(), refused.Load())
	}
}

// Judged once when a take ends, and not again when it is looked at; again when
// something it depends on has changed.
func TestTakesAreJudgedOnce(t *testing.T) {
	id := fresh(t, "JU-1")
	ctx := t.Context()
	srv := New(running.Store, nil, camera.NewEye("", slog.Default()), slog.New(slog.NewTextHandler(io.Discard, nil)))
	take := func(rows int) {
		t.Helper()
		if err := makeTake(ctx, id, rows); err != nil {
			t.Fatal(err)
		}
	}
	for i, e := range []string{`{"op":"set","frame":0,"values":{"track":300}}`,
		`{"op":"set","frame":48,"values":{"track":400}}`} {
		if code, b := do("POST", "/api/shots/"+id+"/edits", `{"revision":`+itoa(i)+`,"edit":`+e+`}`); code != 200 {
			t.Fatal(b)
		}
	}
	if code, b := do("POST", "/api/shots/"+id+"/seal", `{"revision":2}`); code != 200 {
		t.Fatal(b)
	}
	take(2001)
	take(2001)
	look := func(want int64, why string) []PassView {
		t.Helper()
		before := srv.judgings.Load()
		ps, err := srv.passes(ctx, id)
		if err != nil {
			t.Fatal(err)
		}
		if got := srv.judgings.Load() - before; got != want {
			t.Errorf("%s: judged %d times, want %d", why, got, want)
		}
		return ps
	}
	first := look(2, "at first")
	again := look(0, "at a second look")
	if a, b := fmt.Sprint(first), fmt.Sprint(again); !bytes.Equal([]byte(a), []byte(b)) &&
		first[0].Takes[1].Finding.WorstPx != again[0].Takes[1].Finding.WorstPx {
		t.Errorf("what is stored is not what was found:\n%s\n%s", a, b)
	}
	if tv := first[0].Takes[0]; tv.Finding.Word != "stacks" || tv.Finding.Against != "pass 1, take 2" ||
		len(tv.Strip) != 48 || len(tv.Missing) != 0 {
		t.Errorf("%+v, %d in the strip", tv.Finding, len(tv.Strip))
	}
	if first[0].Stands != first[0].Takes[1].ID || first[0].Chosen != nil {
		t.Error("the last whole take does not stand for the pass")
	}
	if code, b := do("PUT", "/api/shots/"+id+"/threshold", `{"px":0.9}`); code != 200 {
		t.Fatal(b)
	}
	look(0, "after another threshold was set, which judged them")
	if _, err := running.Store.Pool.Exec(ctx, `UPDATE findings SET depends = 'older rules' WHERE take_id = $1`,
		first[0].Takes[0].ID); err != nil {
		t.Fatal(err)
	}
	look(1, "after the rules changed for one")
	take(1000)
	ps := look(1, "after a third take")
	if ps[0].Stands != ps[0].Takes[1].ID {
		t.Error("a take that broke off hides the good one")
	}
	id0 := id
	choose := func(pass, id string, want int) {
		t.Helper()
		if code, b := do("PUT", "/api/passes/"+pass+"/take", `{"shot":"`+id0+`","take":"`+id+`"}`); code != want {
			t.Errorf("choosing a take: %d %.200s", code, b)
		}
	}
	choose(ps[0].ID, ps[0].Takes[0].ID, 200)
	other := look(0, "after another was chosen, which judged them")
	if other[0].Stands != ps[0].Takes[0].ID || other[0].Takes[0].Finding.Word != "" ||
		other[0].Takes[1].Finding.Against != "pass 1, take 1" {
		t.Errorf("chosen %s; take 2 against %q", other[0].Stands, other[0].Takes[1].Finding.Against)
	}
	choose(ps[1].ID, ps[0].Takes[0].ID, 404) // another pass's
	if code, _ := do("PUT", "/api/passes/"+ps[0].ID+"/take", `{"shot":"`+id+`"}`); code != 200 {
		t.Errorf("choosing none: %d", code)
	}
	if back := look(0, "after nobody's choice, which judged them"); back[0].Stands != ps[0].Takes[1].ID {
		t.Error("without a choice the last whole take does not stand for the pass")
	}
	log, err := running.Store.Log(ctx, id, 0, 50)
	if err != nil || !strings.Contains(fmt.Sprint(log), "Pass 1 · Beauty, take 1 chosen.") {
		t.Errorf("the log does not say what was chosen: %v", err)
	}
	if tv := ps[0].Takes[2]; tv.Finding.Word != "cannot say" || len(tv.Missing) != 1 || tv.Missing[0].To != 48 ||
		tv.Strip[47] != -1 || tv.Strip[0] < 0 {
		t.Errorf("a take cut short: %+v, missing %v", tv.Finding, tv.Missing)
	}
}

// makeTake stores a take of a shot's first pass that lies on its seal, as far as
// it has rows.
func makeTake(ctx context.Context, shot string, rows int) error {
	seals, err := running.Store.Seals(ctx, shot)
	if err != nil {
		return err
	}
	ps, err := running.Store.Passes(ctx, shot)
	if err != nil {
		return err
	}
	tab, err := running.Store.Table(ctx, seals[0].ID)
	if err != nil {
		return err
	}
	k := &journal.Take{ID: journal.NewID(), PassID: ps[0].ID, Machine: "plank", Clock: ps[0].Clock,
		By: journal.Somebody, Started: time.Now(), Print: seals[0].Print, Axes: tab.Axes, Units: tab.Units, Rows: rows,
		Broken: rows < 2001}
	if err := running.Store.BeginTake(ctx, k); err != nil {
		return err
	}
	pos, steps := make([]clock.Pos, rows), make([][]int32, len(tab.Axes))
	c, err := tab.Clock(ps[0].Clock)
	if err != nil {
		return err
	}
	for i := range pos {
		pos[i] = c.At(int64(i), trace.Hz)
	}
	for a := range steps {
		steps[a] = make([]int32, rows)
		for i := range pos {
			steps[a][i] = int32(tab.At(a, pos[i]) >> 8)
		}
	}
	if err := running.Store.AddRows(ctx, k.ID, 0, pos, steps); err != nil {
		return err
	}
	return running.Store.EndTake(ctx, k, nil)
}

// What is worked out beside an answer fails as the answer itself would.
func TestBeside(t *testing.T) {
	n := 0
	beside(func() { n = 1 })()
	defer func() {
		if p := recover(); p != "no" || n != 1 {
			t.Errorf("panicked with %v, did %d", p, n)
		}
	}()
	beside(func() { panic("no") })()
	t.Error("a panic was lost")
}
