package e2e

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"math/rand/v2"
	"net/http"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"time"

	"keenarc/core/rig"
	"keenarc/core/trace"
	"keenarc/core/weave"
	"keenarc/journal"
	"keenarc/stage"
	"keenarc/standin/camera"
	"keenarc/web"
)

// bench is a shoot with everything that it needs, each a process of its own that can
// be killed and started again.
type bench struct {
	t      *testing.T
	d      *database
	shot   string
	folder string // the application's
	film   string // the camera's
	rigAt  string
	camAt  string
	rig    *stage.StandIn
	camera *stage.StandIn
	server *process
	speed  string // of the camera: --quick takes no time, --no-quick as long as it says
	wished bool   // cells were wished for once more
}

// newBench starts them on SL-030: a rig in a hurry, and a camera with small pictures that
// takes no time. film is where it keeps them.
func newBench(t *testing.T, film string) *bench {
	t.Helper()
	return newBenchOn(t, film, desk(t))
}

// newBenchOn does, on a database.
func newBenchOn(t *testing.T, film string, d *database) *bench {
	t.Helper()
	b := &bench{t: t, d: d, folder: folder(t), film: film, rigAt: "127.0.0.1:0", camAt: "127.0.0.1:0", speed: "--quick"}
	shelf, err := b.d.db.Shelf(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	for _, s := range shelf[0].Shots {
		if s.Code == "SL-030" {
			b.shot = s.ID
		}
	}
	b.startRig()
	b.startCamera()
	t.Cleanup(func() { b.rig.Close(); b.camera.Close() })
	b.server = serve(t, b.folder, b.d.url, b.rigAt, "--camera", b.camAt)
	return b
}

func (b *bench) startRig() {
	b.t.Helper()
	var err error
	for range 50 { // its port may be held for a moment
		if b.rig, err = stage.StartStandIn(context.Background(), binary, "--seed", "5", "--pace", "20", "--listen",
			b.rigAt); err == nil {
			b.rigAt = b.rig.Addr
			return
		}
		time.Sleep(50 * time.Millisecond)
	}
	b.t.Fatal(err)
}

func (b *bench) startCamera() {
	b.t.Helper()
	var err error
	for range 50 {
		if b.camera, err = stage.StartStandInCamera(context.Background(), binary, "--rig", b.rigAt, "--folder", b.film,
			"--width", "64", "--listen", b.camAt, b.speed); err == nil {
			b.camAt = b.camera.Addr
			return
		}
		time.Sleep(50 * time.Millisecond)
	}
	b.t.Fatal(err)
}

func (b *bench) startServer() {
	b.t.Helper()
	for late := time.Now().Add(time.Minute); time.Now().Before(late); {
		if b.server = tryServe(b.t, b.folder, b.d.url, b.rigAt, "--camera", b.camAt, "--listen",
			strings.TrimPrefix(b.server.addr, "http://")); b.server != nil {
			return
		}
	}
	b.t.Fatal("the application does not start any more")
}

// kill takes the plug out of one of them and puts it in again.
func (b *bench) kill(which int) string {
	b.t.Helper()
	switch which {
	case 0:
		_ = b.server.cmd.Process.Kill()
		_ = b.server.cmd.Wait()
		b.startServer()
		return "server"
	case 1:
		_ = b.camera.Process().Kill()
		b.camera.Close()
		b.startCamera()
		return "camera"
	case 2:
		_ = b.rig.Process().Kill()
		b.rig.Close()
		b.startRig()
		return "rig"
	}
	b.d.cluster.Kill()
	if err := b.d.cluster.Start(context.Background()); err != nil {
		b.t.Fatal(err)
	}
	return "database"
}

// ask is a request of which only the answer's text counts; nothing answering is none.
func (b *bench) ask(path, body string) string {
	c := http.Client{Timeout: 20 * time.Second}
	r, err := c.Post(b.server.addr+path, "application/json", strings.NewReader(body))
	if err != nil {
		return ""
	}
	defer r.Body.Close()
	raw, _ := io.ReadAll(r.Body)
	return strconv.Itoa(r.StatusCode) + " " + string(raw)
}

func (b *bench) frames() *web.FramesView {
	c := http.Client{Timeout: 20 * time.Second}
	r, err := c.Get(b.server.addr + "/api/shots/" + b.shot + "/frames")
	if err != nil {
		return nil
	}
	defer r.Body.Close()
	v := &web.FramesView{}
	if r.StatusCode != 200 || json.NewDecoder(r.Body).Decode(v) != nil {
		return nil
	}
	return v
}

// operate is the operator: homes what must be homed, answers what is uncertain (what has
// a picture counts, as the picture shows), presses N.
func (b *bench) operate() {
	if v := b.frames(); v != nil {
		for _, u := range v.Unsure {
			if u.Fate == weave.Uncertain {
				b.ask("/api/shots/"+b.shot+"/frames/answers", fmt.Sprintf(`{"exposure":%q,"counts":%v}`, u.Exposure,
					u.Picture != ""))
			}
		}
	}
	said := b.ask("/api/shots/"+b.shot+"/frames/next", `{"confirmed":true}`)
	if strings.Contains(said, "homed") || strings.Contains(said, "lost steps") {
		b.ask("/api/machines/plank/home", "{}")
	}
}

// settled goes on until nothing is open, and the answer is the weave.
func (b *bench) settled() *web.FramesView {
	b.t.Helper()
	for late := time.Now().Add(90 * time.Second); time.Now().Before(late); time.Sleep(100 * time.Millisecond) {
		v := b.frames()
		if v == nil {
			continue
		}
		if len(v.Unsure) == 0 {
			list, err := b.d.db.Unknown(b.t.Context())
			if err == nil && len(list) == 0 {
				return v
			}
			continue
		}
		for _, u := range v.Unsure {
			if u.Fate == weave.Uncertain {
				b.ask("/api/shots/"+b.shot+"/frames/answers", fmt.Sprintf(`{"exposure":%q,"counts":%v}`, u.Exposure,
					u.Picture != ""))
			}
		}
	}
	b.t.Fatalf("what became of some exposure is never known: %+v", b.frames().Unsure)
	return nil
}

// cameras is the camera's own record: what became of each picture, in the last word, and
// how often each was begun.
func (b *bench) cameras() (state, sum map[string]string, begun map[string]int) {
	b.t.Helper()
	raw, err := os.ReadFile(filepath.Join(b.film, "journal"))
	if err != nil {
		b.t.Fatal(err)
	}
	state, sum, begun = map[string]string{}, map[string]string{}, map[string]int{}
	for line := range strings.Lines(string(raw)) {
		w := strings.Fields(line)
		state[w[1]] = w[0]
		if w[0] == "exposing" {
			begun[w[1]]++
		}
		if len(w) > 2 {
			sum[w[1]] = w[2]
		}
	}
	return state, sum, begun
}

// compare holds the weave against the camera's own record: nothing is lost, doubled,
// made up or skipped, and what counts was taken at its pose.
func (b *bench) compare() (taken int) {
	b.t.Helper()
	b.rest()
	ctx := b.t.Context()
	h, err := b.d.db.Shoot(ctx, b.shot)
	if err != nil {
		b.t.Fatal(err)
	}
	state, sum, begun := b.cameras()
	row := map[string]*journal.Exposure{}
	fates := map[string]int{}
	defer func() { b.t.Logf("what became of the exposures: %v", fates) }()
	counts := map[weave.Cell]int{}
	for i := range h.Exposures {
		e := &h.Exposures[i]
		row[e.ID] = e
		fates[strings.TrimSpace(string(e.Fate)+" "+e.Why)]++
		switch {
		case e.Fate == weave.Kept:
			counts[e.Cell]++
			if e.Picture == "" || sum[e.ID] != e.Picture {
				b.t.Errorf("%v, exposure %d counts with picture %.8s; the camera made %.8s", e.Cell, e.Number,
					e.Picture, sum[e.ID])
			}
		case e.Fate == weave.Failed && e.Picture == "" && (state[e.ID] == "kept" || state[e.ID] == "acknowledged"):
			b.t.Errorf("%v, exposure %d is lost: the camera has it", e.Cell, e.Number)
		case e.Fate == weave.Asked || e.Fate == weave.Uncertain:
			b.t.Errorf("%v, exposure %d is still %s", e.Cell, e.Number, e.Fate)
		}
	}
	for id, n := range begun {
		if n != 1 || row[id] == nil {
			b.t.Errorf("picture %s was begun %d times; in the record: %v", id, n, row[id] != nil)
		}
	}
	for id, s := range state {
		if e := row[id]; (s == "kept" || s == "acknowledged") && (e == nil || e.Picture == "") {
			b.t.Errorf("picture %s is %s with the camera and not here", id, s)
		}
	}
	for c, n := range counts {
		if n > 1 && !b.wished {
			b.t.Errorf("%v was taken %d times, and nobody wished for it", c, n)
		}
	}
	// In order: before the cell that comes next every one is taken.
	board := h.Board()
	now, more := board.Now(h.Turn)
	for _, f := range h.Scheme.Frames() {
		for _, l := range h.Scheme.Layers {
			if l.Apart {
				continue
			}
			c := weave.Cell{Frame: f, Layer: l.ID}
			if s := board.At(c); (!more || f < now.Frame) && s != weave.Taken {
				b.t.Errorf("%v was skipped: it is %s, and %v comes next", c, s, now)
			}
		}
	}
	b.poses(h)
	return len(counts)
}

// stood is where the rig really was at each picture, as the stand-in that looked through it
// knows, by the machine's own names.
func (b *bench) stood() map[string]map[string]float64 {
	b.t.Helper()
	raw, err := os.ReadFile(filepath.Join(b.film, "stood"))
	if err != nil {
		b.t.Fatal(err)
	}
	out := map[string]map[string]float64{}
	for line := range strings.Lines(string(raw)) {
		var s camera.Stood
		if json.Unmarshal([]byte(line), &s) == nil { // one that was cut off by a kill is none
			out[s.Picture] = s.Axes
		}
	}
	return out
}

// poses holds where the rig truly was at each picture that counts, and where the feedback saw
// it, against the sealed path.
func (b *bench) poses(h *journal.Shoot) {
	b.t.Helper()
	sh, err := b.d.db.Shot(b.t.Context(), b.shot)
	if err != nil {
		b.t.Fatal(err)
	}
	stood := b.stood()
	for _, e := range h.Exposures {
		if e.Fate != weave.Kept {
			continue
		}
		truly := stood[e.ID]
		if e.Why != "" { // a person has looked at the picture and answered for it
			truly = nil
		} else if truly == nil {
			b.t.Errorf("frame %d counts, and nobody knows where the rig was", e.Frame)
		}
		table, err := b.d.db.Table(b.t.Context(), e.Seal)
		if err != nil {
			b.t.Fatal(err)
		}
		q := make([]float64, len(sh.Rig.Axes))
		(trace.Sealed{Table: table}).AtFrame(q, e.Frame)
		for i, a := range sh.Rig.Axes {
			step := float64(a.StepsPerUnit.Den) / float64(a.StepsPerUnit.Num)
			if d := e.Pose[a.ID] - q[i]; d > 2*step+a.Backlash+a.Repeatability || d < -2*step-a.Backlash-
				a.Repeatability {
				b.t.Errorf("frame %d counts and was taken %.4f %s from its pose on %s", e.Frame, d, a.Unit, a.Name)
			}
			// Truly it is off by slack, and by as much as homings scatter.
			_, own := rig.Split(a.ID)
			if d, most := math.Abs(truly[own]-q[i]), 2*step+a.Backlash+6*a.Repeatability; truly != nil && d > most {
				b.t.Errorf("frame %d counts, and %s really stood %.4f %s from its pose (exposure %d of %s)", e.Frame,
					a.Name, d, a.Unit, e.Number, e.Layer)
			}
		}
	}
}

// The plug is pulled at random moments, of the server, the camera, the rig or the
// database, while somebody goes on pressing N. Nothing is lost, doubled or skipped.
func TestThePlugIsPulled(t *testing.T) {
	beside(t)
	kills := 60
	if n, err := strconv.Atoi(os.Getenv("KEENARC_KILLS")); err == nil {
		kills = n
	}
	seed := uint64(time.Now().UnixNano())
	if n, err := strconv.ParseUint(os.Getenv("KEENARC_SEED"), 10, 64); err == nil {
		seed = n
	}
	t.Logf("seed %d", seed)
	b := newBenchOn(t, folder(t), deskIn(t, folder(t))) // its database is killed, too
	b.long(min(2+kills/60, weave.MostLayers))
	pull(b, kills, rand.New(rand.NewPCG(seed, 1)))
	v := b.settled()
	taken := b.compare()
	t.Logf("%d kills, %d cells taken, now at %+v", kills, taken, v.Now)
	if taken < kills/4 {
		t.Errorf("only %d cells were taken beside %d kills", taken, kills)
	}
}

// long makes the shoot one on ones with so many layers, so that there is always a cell left.
func (b *bench) long(layers int) {
	b.t.Helper()
	h, err := b.d.db.Shoot(b.t.Context(), b.shot)
	if err != nil {
		b.t.Fatal(err)
	}
	s := h.Scheme
	s.Holds = []weave.Hold{{From: 0, Every: 1}}
	s.Layers = nil
	for n := range layers {
		s.Layers = append(s.Layers, weave.Layer{ID: fmt.Sprintf("layer-%d-%d", h.Revision, n+1), Number: n + 1,
			Name: fmt.Sprintf("layer %d", n+1), Lamps: map[string]float64{"key": 1}, Puppet: true, To: s.Last, MS: 1})
	}
	if err := b.d.db.SetScheme(b.t.Context(), journal.Itself, b.shot, h.Revision, &s); err != nil {
		b.t.Fatal(err)
	}
	if err := b.d.db.Turn(b.t.Context(), journal.Itself, b.shot, "begin", func(*journal.Shoot) (weave.Turn, error) {
		return weave.Turn{At: weave.Cell{Frame: 0, Layer: s.Layers[0].ID}}, nil
	}); err != nil {
		b.t.Fatal(err)
	}
}

// victims: the rig less often than the others, since it must be homed each time.
var victims = [...]int{0, 0, 0, 0, 1, 1, 1, 1, 2, 3, 3}

// pull operates and kills in turns.
func pull(b *bench, kills int, rng *rand.Rand) {
	b.t.Helper()
	every := map[string]int{}
	for k := range kills {
		for until := time.Now().Add(time.Duration(80+rng.IntN(900)) * time.Millisecond); time.Now().Before(
			until); time.Sleep(15 * time.Millisecond) {
			b.operate()
		}
		if v := b.frames(); v != nil && v.Now == nil { // full: layers of its own again
			b.settled()
			b.compare()
			b.long(len(v.Rows))
		}
		every[b.kill(victims[rng.IntN(len(victims))])]++
		if k%10 == 9 {
			if v := b.frames(); v != nil && v.Now != nil {
				b.t.Logf("after %d kills at frame %d", k+1, v.Now.Frame)
			}
		}
	}
	b.t.Logf("killed: %v", every)
}
