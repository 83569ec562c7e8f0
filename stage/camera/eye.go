// Package camera is the camera of the stage: its connection, and how its chain is measured.
package camera

import (
	"context"
	"log/slog"
	"sync"
	"time"

	"keenarc/link"
)

// Eye is the camera of the stage: it keeps the connection up and says what is there.
// Run owns its goroutine. All methods may be called from several goroutines.
type Eye struct {
	addr string
	log  *slog.Logger
	// There is called, from Run's goroutine, with every new connection.
	There func(ctx context.Context)
	// Dial connects to it; nil: at its address.
	Dial func(ctx context.Context) (*link.CameraClient, error)

	mu     sync.Mutex
	client *link.CameraClient
	camera *link.Camera
	why    string
	second *link.CameraClient // for what must not wait for an exposure
}

// EyeNow is what is known of the camera.
type EyeNow struct {
	Connected bool         `json:"connected"`
	Why       string       `json:"why,omitempty"`
	Camera    *link.Camera `json:"camera,omitempty"`
}

// NewEye prepares the camera at an address; without one there is none.
func NewEye(addr string, log *slog.Logger) *Eye {
	return &Eye{addr: addr, log: log, why: "looking for the camera"}
}

// pulse is how often it is asked whether it is there.
const pulse = time.Second

// Answer is how long an answer may take that is no exposure.
const Answer = 5 * time.Second

// Run keeps the connection up until the context ends.
func (e *Eye) Run(ctx context.Context) {
	for ctx.Err() == nil {
		if e.addr == "" && e.Dial == nil {
			e.set(nil, nil, "no camera is named; start Keen Arc with --camera")
			<-ctx.Done()
			return
		}
		if err := e.session(ctx); err != nil && ctx.Err() == nil {
			e.set(nil, nil, err.Error())
		}
		select {
		case <-ctx.Done():
		case <-time.After(200 * time.Millisecond):
		}
	}
}

func (e *Eye) set(c *link.CameraClient, k *link.Camera, why string) {
	e.mu.Lock()
	defer e.mu.Unlock()
	if e.second != nil && c != e.client {
		_ = e.second.Close()
		e.second = nil
	}
	e.client, e.camera, e.why = c, k, why
}

func (e *Eye) connect(ctx context.Context) (*link.CameraClient, error) {
	if e.Dial != nil {
		return e.Dial(ctx)
	}
	return link.DialCamera(ctx, e.addr)
}

func (e *Eye) session(ctx context.Context) error {
	c, err := e.connect(ctx)
	if err != nil {
		return err
	}
	defer c.Close()
	for first := true; ; first = false {
		if first || !c.Busy() { // an exposure may take its time
			if err := e.describe(ctx, c); err != nil {
				return err
			}
		}
		if first && e.There != nil {
			e.There(ctx)
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-c.Done():
			return link.ErrCameraGone
		case <-time.After(pulse):
		}
	}
}

func (e *Eye) describe(ctx context.Context, c *link.CameraClient) error {
	ctx, cancel := context.WithTimeout(ctx, Answer)
	defer cancel()
	r, err := c.Call(ctx, link.CameraRequest{Do: "describe"})
	switch {
	case err != nil:
		return err
	case r.Camera == nil || r.Camera.WidthPx < 1 || r.Camera.HeightPx < 1:
		return &link.Refusal{Why: "what answers there is no camera"}
	case r.Camera.Version != link.CameraVersion:
		return &link.Refusal{Why: "the camera speaks another version of the camera link"}
	}
	e.set(c, r.Camera, "")
	return nil
}

// Now is what is known of the camera.
func (e *Eye) Now() EyeNow {
	e.mu.Lock()
	defer e.mu.Unlock()
	return EyeNow{Connected: e.client != nil, Why: e.why, Camera: e.camera}
}

// Call asks the camera; limit is how long an answer may take.
func (e *Eye) Call(ctx context.Context, q link.CameraRequest, limit time.Duration) (link.CameraReply, error) {
	e.mu.Lock()
	c := e.client
	e.mu.Unlock()
	if c == nil {
		return link.CameraReply{}, link.ErrCameraGone
	}
	ctx, cancel := context.WithTimeout(ctx, limit)
	defer cancel()
	return c.Call(ctx, q)
}

// Look is the camera's picture as it is now, so many pixels wide, as PNG. It goes on
// while an exposure is waited for.
func (e *Eye) Look(ctx context.Context, width int) ([]byte, error) {
	ctx, cancel := brief(ctx)
	defer cancel()
	e.mu.Lock()
	there, c := e.client != nil, e.second
	e.mu.Unlock()
	if !there {
		return nil, link.ErrCameraGone
	}
	if c == nil {
		var err error
		if c, err = e.connect(ctx); err != nil {
			return nil, err
		}
		e.mu.Lock()
		if e.second != nil {
			_ = e.second.Close()
		}
		e.second = c
		e.mu.Unlock()
	}
	r, err := c.Call(ctx, link.CameraRequest{Do: "look", Width: width})
	if err != nil {
		e.mu.Lock()
		if e.second == c {
			_ = c.Close()
			e.second = nil
		}
		e.mu.Unlock()
	}
	return r.PNG, err
}

// brief is for what is answered at once. Whoever asked may leave before the answer is there: it
// is heard all the same, for a question that is dropped takes the connection with it.
func brief(ctx context.Context) (context.Context, context.CancelFunc) {
	return context.WithTimeout(context.WithoutCancel(ctx), Answer)
}

// Record starts or stops a take.
func (e *Eye) Record(ctx context.Context, on bool) error {
	ctx, cancel := brief(ctx)
	defer cancel()
	_, err := e.Call(ctx, link.CameraRequest{Do: "record", On: on}, Answer)
	return err
}

// Stamps reads the camera's clock, and when the frames of its take from one on began on it.
func (e *Eye) Stamps(ctx context.Context, from int) (*link.Stamps, error) {
	ctx, cancel := brief(ctx)
	defer cancel()
	r, err := e.Call(ctx, link.CameraRequest{Do: "stamps", From: from}, Answer)
	if err == nil && r.Stamps == nil {
		err = &link.Refusal{Why: "this camera does not tell its clock"}
	}
	return r.Stamps, err
}

// Pretend tells a stand-in camera what goes wrong.
func (e *Eye) Pretend(ctx context.Context, what string, on bool) error {
	ctx, cancel := brief(ctx)
	defer cancel()
	_, err := e.Call(ctx, link.CameraRequest{Do: "pretend", What: what, On: on}, Answer)
	return err
}
