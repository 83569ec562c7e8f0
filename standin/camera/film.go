package camera

import (
	"bufio"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"sync"

	"github.com/google/uuid"

	"keenarc/link"
)

// film is what the camera has exposed, in a folder: a journal to which a line is added,
// and written through, before and after everything, and a file for each picture that
// was not acknowledged. What it says survives being killed at any moment.
type film struct {
	mu      sync.Mutex
	folder  string
	journal *os.File
	size    int64 // of the journal's whole lines
	is      map[string]*link.Picture
	order   []string
	broken  error // the journal could not be written: nothing is begun any more
}

// errFull is what a full store is called.
var errFull = errors.New("its store is full; fetch and acknowledge pictures, or make room")

// open reads the journal. A picture that was begun and not finished is cut from now on.
func openFilm(folder string) (*film, error) {
	if err := os.MkdirAll(folder, 0o700); err != nil {
		return nil, fmt.Errorf("the camera's store: %w", err)
	}
	f := &film{folder: folder, is: map[string]*link.Picture{}}
	var err error
	if f.journal, err = os.OpenFile(filepath.Join(folder, "journal"), os.O_RDWR|os.O_CREATE, 0o600); err != nil {
		return nil, fmt.Errorf("the camera's store: %w", err)
	}
	in := bufio.NewReader(f.journal)
	for {
		line, err := in.ReadString('\n')
		if err != nil { // the end, or a line that was being written when it was killed
			break
		}
		f.size += int64(len(line))
		f.replay(strings.Fields(line))
	}
	if err := f.journal.Truncate(f.size); err != nil {
		return nil, err
	}
	for _, id := range f.order {
		if p := f.is[id]; p.State == link.PictureExposing {
			if err := f.write(id, link.PictureCut, ""); err != nil {
				p.State = link.PictureCut // it stays so, written or not
			}
			_ = os.Remove(f.file(id) + ".part")
		}
	}
	f.broken = nil
	return f, nil
}

func (f *film) replay(w []string) {
	if len(w) < 2 {
		return
	}
	p := f.of(w[1])
	p.State = w[0]
	if len(w) > 2 {
		p.SHA256 = w[2]
	}
}

func (f *film) of(id string) *link.Picture {
	p := f.is[id]
	if p == nil {
		p = &link.Picture{Picture: id}
		f.is[id] = p
		f.order = append(f.order, id)
	}
	return p
}

func (f *film) file(id string) string { return filepath.Join(f.folder, id+".png") }

// write adds a line and has it written through before it counts.
func (f *film) write(id, state, sum string) error {
	line := []byte(strings.TrimRight(state+" "+id+" "+sum, " ") + "\n")
	_, err := f.journal.WriteAt(line, f.size)
	if err == nil {
		err = f.journal.Sync()
	}
	if err != nil {
		_ = f.journal.Truncate(f.size)
		f.broken = err
		return errFull
	}
	f.broken = nil
	f.size += int64(len(line))
	p := f.of(id)
	p.State, p.SHA256 = state, sum
	return nil
}

// known is a picture as it is known, or unknown.
func (f *film) known(id string) link.Picture {
	f.mu.Lock()
	defer f.mu.Unlock()
	if p := f.is[id]; p != nil {
		return *p
	}
	return link.Picture{Picture: id, State: link.PictureUnknown}
}

// begin writes down that a picture is exposed now. One that is known already is not:
// what it is is the answer.
func (f *film) begin(id string) (link.Picture, bool, error) {
	if _, err := uuid.Parse(id); err != nil || len(id) != 36 {
		return link.Picture{}, false, fmt.Errorf("picture: %q is not an id; give a UUID", id)
	}
	f.mu.Lock()
	defer f.mu.Unlock()
	if p := f.is[id]; p != nil {
		return *p, false, nil
	}
	if err := f.write(id, link.PictureExposing, ""); err != nil {
		return link.Picture{}, false, err
	}
	return *f.is[id], true, nil
}

// stood adds a line to the file "stood": where the rig really was at an exposure, by axis. It
// is for whoever tries the application out, who can hold a picture against it; it is not
// written through.
func (f *film) stood(id string, axes map[string]float64) {
	f.mu.Lock()
	defer f.mu.Unlock()
	line, err := json.Marshal(Stood{id, axes})
	if err != nil {
		return
	}
	to, err := os.OpenFile(filepath.Join(f.folder, "stood"), os.O_WRONLY|os.O_CREATE|os.O_APPEND, 0o600)
	if err != nil {
		return
	}
	defer to.Close()
	_, _ = to.Write(append(line, '\n'))
}

// Stood is a line of that file.
type Stood struct {
	Picture string             `json:"picture"`
	Axes    map[string]float64 `json:"axes"`
}

// keep stores a picture's bytes; when it returns they are safe.
func (f *film) keep(id string, png []byte) (link.Picture, error) {
	sum := sha256.Sum256(png)
	err := store(f.file(id), png)
	f.mu.Lock()
	defer f.mu.Unlock()
	if err == nil {
		err = f.write(id, link.PictureKept, hex.EncodeToString(sum[:]))
	}
	if err != nil {
		_ = os.Remove(f.file(id))
		if f.write(id, link.PictureCut, "") != nil {
			f.is[id].State = link.PictureCut // as it will be found after a restart
		}
		return *f.is[id], errFull
	}
	return *f.is[id], nil
}

// store writes a file so that it is there whole or not at all.
func store(name string, b []byte) error {
	t, err := os.OpenFile(name+".part", os.O_WRONLY|os.O_CREATE|os.O_TRUNC, 0o600)
	if err != nil {
		return err
	}
	_, err = t.Write(b)
	err = errors.Join(err, t.Sync(), t.Close())
	if err == nil {
		err = os.Rename(t.Name(), name)
	}
	if err != nil {
		_ = os.Remove(t.Name())
		return err
	}
	d, err := os.Open(filepath.Dir(name))
	if err != nil {
		return err
	}
	defer d.Close()
	return d.Sync()
}

// void makes sure that a picture that was never begun never will be.
func (f *film) void(id string) (link.Picture, error) {
	f.mu.Lock()
	defer f.mu.Unlock()
	if p := f.is[id]; p != nil {
		return *p, nil
	}
	if err := f.write(id, link.PictureVoid, ""); err != nil {
		return link.Picture{}, err
	}
	return *f.is[id], nil
}

// fetch reads a kept picture.
func (f *film) fetch(id string) ([]byte, link.Picture, error) {
	p := f.known(id)
	if p.State != link.PictureKept {
		return nil, p, fmt.Errorf("picture %s is %s; only one that is kept can be fetched", id, p.State)
	}
	b, err := os.ReadFile(f.file(id))
	if err != nil {
		return nil, p, errors.New("the picture cannot be read from its store")
	}
	return b, p, nil
}

// ack lets a picture go that was handed over; it is remembered that it was.
func (f *film) ack(id string) (link.Picture, error) {
	f.mu.Lock()
	defer f.mu.Unlock()
	p := f.is[id]
	switch {
	case p == nil:
		return link.Picture{}, fmt.Errorf("picture %s is not known", id)
	case p.State == link.PictureKept:
		if err := f.write(id, link.PictureDone, p.SHA256); err != nil {
			return *p, err
		}
		_ = os.Remove(f.file(id))
	}
	return *p, nil
}

// list is everything that is known, oldest first.
func (f *film) list() []link.Picture {
	f.mu.Lock()
	defer f.mu.Unlock()
	out := make([]link.Picture, 0, len(f.order))
	for _, id := range f.order {
		out = append(out, *f.is[id])
	}
	return out
}

func (f *film) waiting() (n int) {
	f.mu.Lock()
	defer f.mu.Unlock()
	for _, p := range f.is {
		if p.State == link.PictureKept {
			n++
		}
	}
	return n
}
