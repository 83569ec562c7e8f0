package link

import (
	"bufio"
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"image"
	_ "image/png" // pictures come as PNG
	"net"
	"sync"
	"time"
)

// CameraVersion is that of the camera link, docs/camera-link.md.
const CameraVersion = 1

// CameraRequest is one line to a camera.
type CameraRequest struct {
	ID      int64  `json:"id"`
	Do      string `json:"do"`
	Picture string `json:"picture,omitempty"`     // expose, fetch, void, ack: the picture's id
	MS      int    `json:"exposure_ms,omitempty"` // expose
	Width   int    `json:"width,omitempty"`       // look: of the picture wanted
	From    int    `json:"from,omitempty"`        // stamps: the first frame that is asked for
	// hands, for stand-ins only: what a person has done to the set.
	Puppet bool               `json:"puppet,omitempty"`
	Frame  int                `json:"frame,omitempty"`
	Lamps  map[string]float64 `json:"lamps,omitempty"`
	// pretend, for stand-ins only: what goes wrong.
	What string `json:"what,omitempty"`
	On   bool   `json:"on,omitempty"`
}

// CameraReply answers one request. PNG and SHA256 belong to fetch and look.
type CameraReply struct {
	Re     int64     `json:"re"`
	OK     bool      `json:"ok"`
	Why    string    `json:"why,omitempty"`
	Camera *Camera   `json:"camera,omitempty"`
	Is     *Picture  `json:"is,omitempty"`
	Stamps *Stamps   `json:"stamps,omitempty"`
	List   []Picture `json:"list,omitempty"`
	PNG    []byte    `json:"png,omitempty"` // base64 on the wire
	SHA256 string    `json:"sha256,omitempty"`
}

// Stamps are a camera's own clock, and when the frames of its take began on it, in
// microseconds since some time of its own.
type Stamps struct {
	US        int64   `json:"us"`
	Recording bool    `json:"recording"`
	Take      int     `json:"take"`
	FPS       float64 `json:"fps"`
	Frames    []int64 `json:"frames" doc:"from the one that was asked for, as far as they have begun"`
}

// Camera is what a camera says of itself.
type Camera struct {
	Name     string `json:"name"`
	WidthPx  int    `json:"width_px"`
	HeightPx int    `json:"height_px"`
	Version  int    `json:"version"`
	StandIn  bool   `json:"stand_in"`
	Waiting  int    `json:"waiting"` // pictures that are kept and not acknowledged
}

// What a camera knows of a picture.
const (
	PictureUnknown  = "unknown"      // never heard of
	PictureExposing = "exposing"     // the shutter is open, or it is being written
	PictureKept     = "kept"         // complete, and safe with the camera
	PictureCut      = "cut"          // begun and never finished: there is no picture
	PictureVoid     = "void"         // never begun, and never will be
	PictureDone     = "acknowledged" // it was handed over
)

// Picture is a picture as its camera knows it.
type Picture struct {
	Picture string `json:"picture"`
	State   string `json:"state"`
	SHA256  string `json:"sha256,omitempty"`
}

// What a stand-in camera can be told to do wrong.
const (
	PretendLate   = "late"   // answers come two seconds late
	PretendTwice  = "twice"  // every answer comes twice
	PretendBroken = "broken" // the next pictures' bytes are damaged on the wire
	PretendSilent = "silent" // no answer at all
	PretendFull   = "full"   // its store is full
	// It hangs upright, turned clockwise by a quarter as seen from behind.
	PretendUpright = "upright"
)

// CameraClient speaks to a camera, one request at a time. It is safe for use from
// several goroutines; they wait for each other.
type CameraClient struct {
	conn net.Conn
	in   *bufio.Scanner
	turn chan struct{} // held while a request is on its way
	next int64
	once sync.Once
	done chan struct{}
}

// ErrCameraGone is returned when the connection to the camera is lost.
var ErrCameraGone = errors.New("the connection to the camera is lost")

// ErrSilent is returned when the camera does not answer in time.
var ErrSilent = errors.New("the camera does not answer")

// MaxCameraLine is the longest line from a camera in bytes.
const MaxCameraLine = 256 << 20

// DialCamera connects to a camera.
func DialCamera(ctx context.Context, addr string) (*CameraClient, error) {
	conn, err := (&net.Dialer{Timeout: 2 * time.Second}).DialContext(ctx, "tcp", addr)
	if err != nil {
		return nil, fmt.Errorf("connecting to the camera at %s: %w", addr, err)
	}
	return NewCameraClient(conn), nil
}

// NewCameraClient speaks over a connection, which it closes in the end.
func NewCameraClient(conn net.Conn) *CameraClient {
	c := &CameraClient{conn: conn, in: bufio.NewScanner(conn), turn: make(chan struct{}, 1), done: make(chan struct{})}
	c.in.Buffer(make([]byte, 0, 1<<16), MaxCameraLine)
	return c
}

// Refusal is a rig's or a camera's own reason for not doing something.
type Refusal struct{ Why string }

func (r *Refusal) Error() string { return r.Why }

// Call sends a request and waits for its reply. What the camera refuses is a Refusal.
// After any other error the connection is closed: what becomes of the request is not
// known then.
func (c *CameraClient) Call(ctx context.Context, q CameraRequest) (CameraReply, error) {
	select {
	case c.turn <- struct{}{}:
	case <-ctx.Done():
		return CameraReply{}, fmt.Errorf("%w to %s", ErrSilent, q.Do)
	}
	defer func() { <-c.turn }()
	r, err := c.exchange(ctx, q)
	if err != nil {
		_ = c.Close()
		return r, err
	}
	if !r.OK {
		return r, &Refusal{r.Why}
	}
	return r, nil
}

func (c *CameraClient) exchange(ctx context.Context, q CameraRequest) (CameraReply, error) {
	stop := context.AfterFunc(ctx, func() { _ = c.conn.SetDeadline(time.Unix(1, 0)) })
	defer stop()
	c.next++
	q.ID = c.next
	b, err := json.Marshal(q)
	if err != nil {
		return CameraReply{}, err
	}
	if _, err := c.conn.Write(append(b, '\n')); err != nil {
		return CameraReply{}, c.lost(ctx, q)
	}
	for c.in.Scan() {
		// An answer to something else came late or twice; a line that cannot be read is none.
		if r, ok := hearCamera(c.in.Bytes(), q.ID); ok {
			return r, nil
		}
	}
	return CameraReply{}, c.lost(ctx, q)
}

func (c *CameraClient) lost(ctx context.Context, q CameraRequest) error {
	if ctx.Err() != nil {
		return fmt.Errorf("%w to %s", ErrSilent, q.Do)
	}
	return ErrCameraGone
}

// hearCamera reads a line that answers a request.
func hearCamera(line []byte, id int64) (CameraReply, bool) {
	var r CameraReply
	if err := json.Unmarshal(line, &r); err != nil {
		if r.Re == id && id != 0 {
			return CameraReply{Re: id, Why: "the camera's answer cannot be read: " + err.Error()}, true
		}
		return r, false
	}
	return r, r.Re == id && id != 0
}

// Busy reports whether a request is on its way.
func (c *CameraClient) Busy() bool { return len(c.turn) > 0 }

// Done is closed when the connection is.
func (c *CameraClient) Done() <-chan struct{} { return c.done }

// Close ends the connection.
func (c *CameraClient) Close() error {
	c.once.Do(func() { close(c.done) })
	return c.conn.Close()
}

// CheckPicture reports why bytes are not the picture that they should be: whole, a PNG,
// of the camera's size.
func (k *Camera) CheckPicture(png []byte, sum string) error {
	have := sha256.Sum256(png)
	if got := hex.EncodeToString(have[:]); got != sum {
		return fmt.Errorf("the picture did not come over whole (%d bytes, sha256 %.8s instead of %.8s)",
			len(png), got, sum)
	}
	cfg, format, err := image.DecodeConfig(bytes.NewReader(png))
	if err != nil || format != "png" {
		return fmt.Errorf("the picture cannot be read as PNG")
	}
	if cfg.Width != k.WidthPx || cfg.Height != k.HeightPx {
		return fmt.Errorf("the picture is %d × %d, not %d × %d", cfg.Width, cfg.Height, k.WidthPx, k.HeightPx)
	}
	return nil
}
