package web

import (
	"context"
	"encoding/binary"
	"encoding/json"
	"errors"
	"math"
	"net/http"
	"slices"

	"github.com/coder/websocket"
	"github.com/go-chi/chi/v5"

	"keenarc/core/curve"
	"keenarc/core/lens"
	"keenarc/core/limit"
	"keenarc/core/path"
	"keenarc/core/rig"
	"keenarc/store"
)

// PreviewAsk is an edit that is tried: what the plan would be with it. Nothing is stored.
type PreviewAsk struct {
	N        int64      `json:"n" doc:"counted up by the page; the answer has it again"`
	Revision int64      `json:"revision" doc:"the plan that the edit is tried on"`
	Edit     *path.Edit `json:"edit,omitempty"`
	Back     int64      `json:"back,omitempty" doc:"in place of an edit: the revision that would be gone back to"`
	Frame    float64    `json:"frame" doc:"the playhead: its view is always in the answer"`
	Whole    bool       `json:"whole,omitempty" doc:"every sample's view in full, to be played"`
	unread   string     // why it cannot be read
}

// numbered is the number of a question that cannot be read otherwise, or 0.
func numbered(raw []byte) int64 {
	var n struct {
		N int64 `json:"n"`
	}
	_ = json.Unmarshal(raw, &n)
	return n.N
}

// PreviewSays is the head of an answer. After it come, as little-endian float32: for each of
// Axes its shares and its values, Samples each; then Samples places of the camera, of three;
// then the view at each of At (where Whole, at every sample), of Stride.
type PreviewSays struct {
	N         int64              `json:"n"`
	Revision  int64              `json:"revision"`
	Refused   string             `json:"refused,omitempty" doc:"why the edit would not be made; nothing follows"`
	Gone      bool               `json:"gone,omitempty" doc:"the plan is another by now; nothing follows"`
	Start     int                `json:"start"`
	Step      int                `json:"step"`
	Samples   int                `json:"samples"`
	First     int                `json:"first"`
	Last      int                `json:"last"`
	RunUp     int                `json:"run_up"`
	RunOut    int                `json:"run_out"`
	FPS       float64            `json:"fps"`
	Axes      []int              `json:"axes" doc:"those that differ from the plan, or all where its frames do"`
	Reports   []limit.AxisReport `json:"reports" doc:"of those axes"`
	Tracks    []path.Track       `json:"tracks" doc:"those that differ"`
	Over      []limit.Violation  `json:"over"`
	Sentences []string           `json:"sentences"`
	Seen      bool               `json:"seen" doc:"views follow; else they are the plan's"`
	At        []float64          `json:"at" doc:"the frames whose views follow in full: the playhead's first, then the keyframes'"`
	Whole     bool               `json:"whole"`
	Stride    int                `json:"stride"`
}

// preview answers the newest edit that is tried, and no other: what came before it while one
// was worked out is left out.
func (s *Server) preview(w http.ResponseWriter, r *http.Request) {
	c, err := websocket.Accept(w, r, nil)
	if err != nil {
		return
	}
	c.SetReadLimit(1 << 22)
	ctx, cancel := context.WithCancel(r.Context())
	asked, done := make(chan PreviewAsk, 1), make(chan struct{})
	defer func() {
		cancel()
		_ = c.CloseNow()
		<-done
	}()
	go func() {
		defer close(done)
		defer cancel()
		for {
			_, b, err := c.Read(ctx)
			if err != nil {
				return
			}
			var a PreviewAsk
			if err := json.Unmarshal(b, &a); err != nil { // with its number, as far as that can be read
				a = PreviewAsk{N: numbered(b), unread: "This cannot be read: " + err.Error() + "."}
			}
			select { // the newest only
			case <-asked:
			default:
			}
			asked <- a
		}
	}()
	t := &trier{s: s, shot: chi.URLParam(r, "id")}
	for {
		select {
		case <-ctx.Done():
			return
		case a := <-asked:
			var says []byte
			if err := s.quickly(ctx, t.shot, "a preview", func(ctx context.Context) error {
				select {
				case a = <-asked: // what came meanwhile is newer
				default:
				}
				says = t.answer(ctx, a)
				return nil
			}); err != nil {
				if ctx.Err() != nil {
					return
				}
				says = t.answer(ctx, PreviewAsk{N: a.N, Revision: a.Revision, unread: sentence(err)})
			}
			if err := c.Write(ctx, websocket.MessageBinary, says); err != nil {
				return
			}
		}
	}
}

// trier remembers the plan that edits are tried on.
type trier struct {
	s      *Server
	shot   string
	seen   int64 // the shot's version: its line-up may be another on the same plan
	of     *store.Shot
	draft  *store.Draft
	scale  *lens.Scale
	motion *path.Motion // of the plan; nil on an empty sheet
}

// load gets the plan of a revision, unless it is there.
func (t *trier) load(ctx context.Context, revision int64) error {
	version := t.s.version(t.shot)
	if t.draft != nil && t.draft.Revision == revision && t.seen == version {
		return nil
	}
	sh, d, err := t.s.newest(ctx, t.shot)
	if err != nil {
		return err
	}
	scale, err := sh.Lens.Scale()
	if err != nil {
		return err
	}
	t.seen, t.of, t.draft, t.scale, t.motion = version, sh, d, scale, nil
	if m, err := path.Compile(d.Path, sh.Rig); err == nil {
		t.motion = m
	}
	return nil
}

func (t *trier) answer(ctx context.Context, a PreviewAsk) []byte {
	says := &PreviewSays{N: a.N, Revision: a.Revision}
	var blocks []byte
	if a.unread != "" {
		says.Refused = a.unread
	} else if err := t.load(ctx, a.Revision); err != nil {
		says.Refused = t.say(err)
	} else if says.Gone = t.draft.Revision != a.Revision; !says.Gone {
		q, err := t.tried(ctx, a)
		if err == nil {
			blocks, err = t.draw(says, q, a)
		}
		if err != nil {
			says.Refused = t.say(err)
		}
	}
	head, err := json.Marshal(says)
	if err != nil { // a number that is none: it is refused like any other
		head, _ = json.Marshal(&PreviewSays{N: a.N, Revision: a.Revision, Refused: "This cannot be shown: " +
			err.Error() + "."})
		blocks = nil
	}
	for len(head)%4 != 0 {
		head = append(head, ' ')
	}
	out := binary.LittleEndian.AppendUint32(make([]byte, 0, 4+len(head)+len(blocks)), uint32(len(head)))
	return append(append(out, head...), blocks...)
}

// say is why an edit would not be made, as a refusal says it.
func (t *trier) say(err error) string {
	var p *Problem
	if errors.As(t.s.fail(err), &p) {
		return p.Detail
	}
	return err.Error() + "."
}

func (t *trier) tried(ctx context.Context, a PreviewAsk) (*path.Path, error) {
	if a.Edit != nil {
		return t.draft.Path.Apply(t.of.Rig, *a.Edit)
	}
	if a.Back == t.draft.Revision {
		return t.draft.Path, nil
	}
	d, err := t.s.store.DraftAt(ctx, t.shot, a.Back)
	if err != nil {
		return nil, err
	}
	return d.Path, nil
}

// draw writes what differs from the plan.
func (t *trier) draw(says *PreviewSays, q *path.Path, a PreviewAsk) ([]byte, error) {
	m, an, err := limit.Glance(q, t.of.Rig)
	if err != nil {
		return nil, err
	}
	fps := q.Clock().FPS()
	n := m.End() - m.Start() + 1
	says.Start, says.Step, says.First, says.Last, says.RunUp, says.RunOut = m.Start(), (n+maxPlot-1)/maxPlot, m.First,
		m.Last, m.RunUp, m.RunOut
	says.Samples, says.FPS, says.Over, says.Sentences = (n-1)/says.Step+1, fps, an.Report.Violations, an.Sentences
	all := t.motion == nil || m.Start() != t.motion.Start() || m.End() != t.motion.End() || m.First != t.motion.First ||
		m.Last != t.motion.Last || fps != t.draft.Path.Clock().FPS()
	part := &path.Motion{First: m.First, Last: m.Last, RunUp: m.RunUp, RunOut: m.RunOut}
	rigPart := &rig.Rig{}
	says.Axes, says.Reports, says.Tracks = []int{}, []limit.AxisReport{}, []path.Track{}
	moved := all
	for i, c := range m.Curves {
		same := !all && sameCurve(c, t.motion.Curves[i])
		if k := q.Track(t.of.Rig.Axes[i].ID); k != nil && (!same || !sameKeys(k, t.draft.Path.Track(k.Axis))) {
			says.Tracks = append(says.Tracks, *k)
		}
		if same {
			continue
		}
		moved = true
		says.Axes, says.Reports = append(says.Axes, i), append(says.Reports, an.Report.Axes[i])
		part.Curves, rigPart.Axes = append(part.Curves, c), append(rigPart.Axes, t.of.Rig.Axes[i])
	}
	shares := limit.Profile(part, rigPart, fps, m.Start(), m.End(), says.Step)
	var b []byte
	buf := make([]curve.Sample, says.Samples)
	for k, c := range part.Curves {
		for _, v := range shares[k] {
			b = put(b, v)
		}
		c.Into(buf, float64(m.Start()), float64(says.Step))
		for _, v := range buf {
			b = put(b, v.P)
		}
	}
	if says.Seen = moved; !moved {
		return b, nil
	}
	v := make([]float64, len(m.Curves))
	for i := range says.Samples {
		m.Values(v, float64(m.Start()+i*says.Step))
		p := t.of.Rig.Forward(v)
		b = put(b, p.At[:]...)
	}
	says.At = []float64{min(max(a.Frame, float64(m.Start())), float64(m.End()))}
	if says.Whole = a.Whole; a.Whole {
		for i := range says.Samples {
			says.At = append(says.At, float64(m.Start()+i*says.Step))
		}
	} else {
		says.At = append(says.At, keyframes(q)...)
	}
	for _, f := range says.At {
		m.Values(v, f)
		was := len(b)
		b = putView(b, viewAt(t.of, t.scale, v))
		says.Stride = (len(b) - was) / 4
	}
	return b, nil
}

// mostWedges bounds the keyframes whose views are sent: more could not be told apart.
const mostWedges = 60

func keyframes(q *path.Path) []float64 {
	all := q.Frames()
	every := (len(all) + mostWedges - 1) / mostWedges
	out := all[:0:0]
	for i, f := range all {
		if i%every == 0 {
			out = append(out, f)
		}
	}
	return out
}

func sameCurve(a, b *curve.Curve) bool {
	return slices.Equal(a.X, b.X) && slices.EqualFunc(a.C, b.C, func(x, y curve.Poly) bool {
		return slices.Equal(x[:], y[:])
	})
}

func sameKeys(a, b *path.Track) bool {
	return b != nil && a.Kind == b.Kind && slices.Equal(a.Keys, b.Keys)
}

func put(b []byte, v ...float64) []byte {
	for _, x := range v {
		b = binary.LittleEndian.AppendUint32(b, math.Float32bits(float32(x)))
	}
	return b
}

// putView writes a view: at, right, forward, up, pupil, field, focus, sharp, joints.
func putView(b []byte, v View) []byte {
	for _, x := range []rig.Vec{v.At, v.Right, v.Forward, v.Up, v.Pupil} {
		b = put(b, x[:]...)
	}
	b = put(b, v.FieldDeg[:]...)
	b = put(b, v.FocusM)
	b = put(b, v.SharpM[:]...)
	for _, j := range v.Joints {
		b = put(b, j[:]...)
	}
	return b
}
