// Package camera is a simulated still camera that speaks the camera link over
// loopback as a device would. It looks at a small set from where a stand-in rig really
// is (the rig's truth, not what anybody planned), renders what it sees, and keeps every
// picture until it is acknowledged, over being killed, too.
package camera

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"image"
	"image/png"
	"math"
	"net"
	"sync"
	"time"

	"keenarc/core/geom"
	"keenarc/core/lens"
	"keenarc/core/rig"
	"keenarc/examples"
	"keenarc/link"
	"keenarc/standin/scene"
)

// Options of a stand-in camera.
type Options struct {
	Folder  string // its store
	Rig     string // address of the stand-in rig that carries it
	Camera  *lens.Package
	Set     *geom.Set
	Quick   bool // exposes for no time at all, for tests
	Seed    uint64
	WidthPx int // of its pictures; 0: the package's
}

// Server is the camera. Run owns its goroutines and returns when they have ended.
type Server struct {
	o      Options
	film   *film
	scale  *lens.Scale
	w, h   int
	listen net.Listener
	shut   sync.Mutex // one exposure at a time
	mu     sync.Mutex // guards what follows
	hands  scene.Hands
	lamps  map[string]float64
	wrong  map[string]bool
	rig    *rig.Rig
	seen   []float64 // where the rig was last seen
	place  rig.Place
	client *link.Client
	take   *recorder
}

// Listen opens a loopback address for a camera.
func Listen(o Options, addr string) (*Server, error) {
	l, err := net.Listen("tcp", addr)
	if err != nil {
		return nil, fmt.Errorf("stand-in camera: %w", err)
	}
	s, err := On(o, l)
	if err != nil {
		l.Close()
	}
	return s, err
}

// On is a camera that answers what is accepted.
func On(o Options, l net.Listener) (*Server, error) {
	f, err := openFilm(o.Folder)
	if err != nil {
		return nil, err
	}
	sc, err := o.Camera.Scale()
	if err != nil {
		return nil, err
	}
	s := &Server{o: o, film: f, scale: sc, w: o.Camera.WidthPx, h: o.Camera.HeightPx, listen: l,
		hands: scene.Hands{Puppet: true}, lamps: map[string]float64{"key": 1}, wrong: map[string]bool{},
		take: newRecorder(o.Seed)}
	if o.WidthPx > 0 {
		s.w, s.h = o.WidthPx, int(math.Round(float64(o.WidthPx)*float64(o.Camera.HeightPx)/float64(o.Camera.WidthPx)))
	}
	return s, nil
}

// Addr is where it listens.
func (s *Server) Addr() string { return s.listen.Addr().String() }

// Run serves until the context ends.
func (s *Server) Run(ctx context.Context) error {
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	var wg sync.WaitGroup
	wg.Go(func() { <-ctx.Done(); s.listen.Close() })
	defer s.film.journal.Close()
	for {
		conn, err := s.listen.Accept()
		if err != nil {
			cancel()
			wg.Wait()
			return nil
		}
		wg.Go(func() { s.serve(ctx, conn) })
	}
}

func (s *Server) serve(ctx context.Context, conn net.Conn) {
	stop := context.AfterFunc(ctx, func() { conn.Close() })
	defer stop()
	defer conn.Close()
	in := bufio.NewScanner(conn)
	for in.Scan() {
		var q link.CameraRequest
		r := link.CameraReply{}
		if err := json.Unmarshal(in.Bytes(), &q); err != nil {
			r.Why = "this line is not JSON: " + err.Error()
		} else {
			r = s.do(ctx, q)
		}
		r.Re = q.ID
		if !s.answer(ctx, conn, q, r) {
			return
		}
	}
}

// answer sends a reply, as wrongly as was asked for.
func (s *Server) answer(ctx context.Context, conn net.Conn, q link.CameraRequest, r link.CameraReply) bool {
	b, err := json.Marshal(r)
	if err != nil {
		return false
	}
	b = append(b, '\n')
	if q.Do != "pretend" {
		if s.has(link.PretendSilent) {
			return true
		}
		if s.has(link.PretendLate) {
			select {
			case <-time.After(2 * time.Second):
			case <-ctx.Done():
				return false
			}
		}
		if s.has(link.PretendTwice) {
			b = append(b, b...)
		}
	}
	if conn.SetWriteDeadline(time.Now().Add(20*time.Second)) != nil {
		return false
	}
	_, err = conn.Write(b)
	return err == nil
}

func (s *Server) has(what string) bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.wrong[what]
}

// do carries out one request.
func (s *Server) do(ctx context.Context, q link.CameraRequest) link.CameraReply {
	no := func(err error) link.CameraReply { return link.CameraReply{Why: err.Error()} }
	is := func(p link.Picture, err error) link.CameraReply {
		if err != nil {
			return link.CameraReply{Why: err.Error(), Is: &p}
		}
		return link.CameraReply{OK: true, Is: &p}
	}
	switch q.Do {
	case "describe":
		return link.CameraReply{OK: true, Camera: &link.Camera{Name: s.o.Camera.Name, WidthPx: s.w, HeightPx: s.h,
			Version: link.CameraVersion, StandIn: true, Waiting: s.film.waiting()}}
	case "hands":
		for name, v := range q.Lamps {
			if !(v >= 0 && v <= 1) {
				return no(fmt.Errorf("lamp %s at %g; give 0 to 1", name, v))
			}
		}
		s.mu.Lock()
		defer s.mu.Unlock()
		s.hands, s.lamps = scene.Hands{Puppet: q.Puppet, Frame: q.Frame}, q.Lamps
		return link.CameraReply{OK: true}
	case "record":
		if err := s.take.record(q.On); err != nil {
			return no(err)
		}
		return link.CameraReply{OK: true, Stamps: s.take.read(0)}
	case "stamps":
		return link.CameraReply{OK: true, Stamps: s.take.read(q.From)}
	case "expose":
		return is(s.expose(ctx, q.Picture, q.MS))
	case "list":
		return link.CameraReply{OK: true, List: s.film.list()}
	case "fetch":
		b, p, err := s.film.fetch(q.Picture)
		if err != nil {
			return link.CameraReply{Why: err.Error(), Is: &p}
		}
		if s.has(link.PretendBroken) {
			b = bytes.Clone(b)
			b[len(b)/2] ^= 0xff
		}
		return link.CameraReply{OK: true, Is: &p, PNG: b, SHA256: p.SHA256}
	case "void":
		return is(s.film.void(q.Picture))
	case "ack":
		return is(s.film.ack(q.Picture))
	case "look":
		if q.Width < 16 || q.Width > s.w {
			return no(fmt.Errorf("width: %d; give 16 to %d", q.Width, s.w))
		}
		b, err := s.see(ctx, q.Width)
		if err != nil {
			return no(err)
		}
		return link.CameraReply{OK: true, PNG: b}
	case "pretend":
		s.mu.Lock()
		defer s.mu.Unlock()
		s.wrong[q.What] = q.On
		return link.CameraReply{OK: true}
	}
	return no(fmt.Errorf("there is no request %q", q.Do))
}

// expose takes a picture under an id, once: asked again it says what it is.
func (s *Server) expose(ctx context.Context, id string, ms int) (link.Picture, error) {
	if ms < 1 || ms > 600_000 {
		return link.Picture{}, fmt.Errorf("exposure_ms: %d; give 1 to 600000", ms)
	}
	if s.has(link.PretendFull) {
		return link.Picture{}, errFull
	}
	s.shut.Lock()
	defer s.shut.Unlock()
	p, begun, err := s.film.begin(id)
	if err != nil || !begun {
		return p, err
	}
	if !s.o.Quick { // the picture is of the middle of the exposure
		time.Sleep(time.Duration(ms) * time.Millisecond / 2)
	}
	b, err := s.see(ctx, s.w)
	if err != nil {
		b = nil
	} else {
		s.film.stood(id, s.truly())
	}
	if !s.o.Quick {
		time.Sleep(time.Duration(ms) * time.Millisecond / 2)
	}
	if b == nil { // it has never seen where it stands: the picture is black
		if b, err = encode(image.NewRGBA(image.Rect(0, 0, s.w, s.h))); err != nil {
			return p, err
		}
	}
	return s.film.keep(id, b)
}

// truly is where the rig that carries it really stood when it last looked, by axis.
func (s *Server) truly() map[string]float64 {
	s.mu.Lock()
	defer s.mu.Unlock()
	out := map[string]float64{}
	for i, a := range s.rig.Axes {
		out[a.ID] = s.seen[i]
	}
	return out
}

// see renders what is before the lens now.
func (s *Server) see(ctx context.Context, width int) ([]byte, error) {
	v, err := s.view(ctx)
	if err != nil {
		return nil, err
	}
	s.mu.Lock()
	hands, lamps := s.hands, s.lamps
	s.mu.Unlock()
	sc, err := scene.Keeper(s.o.Set, hands)
	if err != nil {
		return nil, err
	}
	return encode(sc.Render(v, width, int(math.Round(float64(width)*float64(s.h)/float64(s.w))), lamps))
}

func encode(m image.Image) ([]byte, error) {
	var b bytes.Buffer
	err := (&png.Encoder{CompressionLevel: png.BestSpeed}).Encode(&b, m)
	return b.Bytes(), err
}

// view asks the rig where it really is. While the rig is away it stands where it was
// seen last, as a machine does whose power is off.
func (s *Server) view(ctx context.Context) (scene.View, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	ctx, cancel := context.WithTimeout(ctx, time.Second)
	defer cancel()
	again := s.client != nil // a rig that was switched off and on is looked at anew
	err := s.askRig(ctx)
	if err != nil && again {
		_ = s.client.Close()
		s.client = nil
		err = s.askRig(ctx)
	}
	if err != nil {
		if s.client != nil {
			_ = s.client.Close()
			s.client = nil
		}
		if s.seen == nil {
			return scene.View{}, fmt.Errorf("the rig that carries it was never seen: %w", err)
		}
	}
	placed, err := rig.Join([]rig.Placed{{Name: "it", Rig: s.rig, Place: s.place}})
	if err != nil {
		return scene.View{}, err
	}
	at := math.Inf(1)
	if i := placed.Of(rig.Focus); i >= 0 {
		at = s.scale.Distance(s.seen[i])
	}
	pose := placed.Forward(s.seen)
	if s.wrong[link.PretendUpright] { // its top points to the right; mu is held
		pose.Right, pose.Up = rig.Vec{-pose.Up[0], -pose.Up[1], -pose.Up[2]}, pose.Right
	}
	return scene.View{Pose: pose, Focus: s.o.Camera.At(at)}, nil
}

func (s *Server) askRig(ctx context.Context) error {
	if s.client == nil {
		c, err := link.Dial(ctx, s.o.Rig)
		if err != nil {
			return err
		}
		s.client = c
		d, err := link.Ask(ctx, c, link.Describe{})
		if err != nil {
			return err
		}
		s.rig = d.Rig
	}
	r, err := link.Ask(ctx, s.client, link.AskTruth{})
	if err != nil {
		return err
	}
	q := make([]float64, len(s.rig.Axes))
	for i, a := range s.rig.Axes {
		q[i] = r.Truth.Axes[a.ID]
	}
	s.seen, s.place = q, r.Truth.Place
	return nil
}

// Film renders one picture of the demo's clock room without a rig: its axes at q, the
// hands' work as for a frame.
func Film(r *rig.Rig, q []float64, frame int, puppet bool, lamps map[string]float64) ([]byte, error) {
	k := examples.BenchCamera()
	sc, err := k.Scale()
	if err != nil {
		return nil, err
	}
	at := math.Inf(1)
	if i := r.Of(rig.Focus); i >= 0 {
		at = sc.Distance(q[i])
	}
	room, err := scene.Keeper(examples.ClockRoom(), scene.Hands{Puppet: puppet, Frame: frame})
	if err != nil {
		return nil, err
	}
	return encode(room.Render(scene.View{Pose: r.Forward(q), Focus: k.At(at)}, k.WidthPx, k.HeightPx, lamps))
}
