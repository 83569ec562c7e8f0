package camera_test

import (
	"bytes"
	"context"
	"log/slog"
	"math"
	"math/rand/v2"
	"net"
	"sync"
	"testing"
	"testing/synctest"
	"time"

	"keenarc/examples"
	"keenarc/link"
	"keenarc/stage/camera"
	standin "keenarc/standin/camera"
	"keenarc/standin/standintest"
)

// heldUp is a line on which each question takes some milliseconds, now and then many. The word to
// record goes at once: what it took would be part of how late the camera is.
type heldUp struct {
	net.Conn
	rng *rand.Rand
}

func (h heldUp) Write(b []byte) (int, error) {
	if bytes.Contains(b, []byte(`"record"`)) {
		return h.Conn.Write(b)
	}
	ms := 0.3 + 0.8*h.rng.ExpFloat64()
	if h.rng.IntN(15) == 0 {
		ms += 40
	}
	time.Sleep(time.Duration(ms * float64(time.Millisecond)))
	return h.Conn.Write(b)
}

// A minute of Sync, in the camera's own time: how late it begins and how fast its clock runs are
// found as they truly are (118 ms ± 6, 37.5 ppm), over a line that holds words up.
func TestAMinuteOfSync(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		door := standintest.NewDoor()
		s, err := standin.On(standin.Options{Folder: t.TempDir(), Seed: 7, Quick: true,
			Camera: examples.BenchCamera(), Set: examples.ClockRoom()}, door)
		if err != nil {
			t.Fatal(err)
		}
		ctx, stop := context.WithCancel(context.Background())
		var wg sync.WaitGroup
		defer wg.Wait()
		defer stop()
		wg.Go(func() { _ = s.Run(ctx) })
		e := camera.NewEye("", slog.New(slog.DiscardHandler))
		rng := rand.New(rand.NewPCG(5, 8))
		e.Dial = func(ctx context.Context) (*link.CameraClient, error) {
			c, err := door.Connect(ctx)
			if err != nil {
				return nil, err
			}
			return link.NewCameraClient(heldUp{c, rng}), nil
		}
		wg.Go(func() { e.Run(ctx) })
		time.Sleep(time.Second)
		m := camera.NewInStep(e)
		defer m.Close()
		began, over := time.Now(), make(chan struct{})
		if err := m.Begin("a minute", 12, 60, func() { close(over) }); err != nil {
			t.Fatal(err)
		}
		<-over
		synctest.Wait()
		c := m.Now().Chain
		if c == nil {
			t.Fatalf("nothing is measured: %+v", m.Now())
		}
		t.Logf("%+v %+v, to %.2f ms", c.Delays, c.Clock, c.WithinMS)
		if d := time.Since(began); d < time.Minute || d > 62*time.Second {
			t.Errorf("it took %v", d)
		}
		if off := math.Abs(c.Clock.PPM - 37.5); off > 3*c.Clock.Within || c.Clock.Within > 2 {
			t.Errorf("%g ± %g ppm; 37.5 is true", c.Clock.PPM, c.Clock.Within)
		}
		if math.Abs(c.Delays.MeanMS-118) > 6 || c.Delays.SigmaMS < 3 || c.Delays.SigmaMS > 11 {
			t.Errorf("%+v; 118 ms and 6 are true", c.Delays)
		}
	})
}
