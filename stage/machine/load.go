package machine

import (
	"context"
	"errors"
	"fmt"
	"time"

	"keenarc/link"
)

// Loading is how far a sealed path has come into a machine.
type Loading struct {
	Print string  `json:"-"`
	Share float64 `json:"share" doc:"of it that is there"`
	Left  float64 `json:"left_s" doc:"how long it will take still, in seconds"`
	Why   string  `json:"why,omitempty" doc:"why it was not taken"`
}

// want is a table that is to be loaded.
type want struct {
	print, name string        // the seal's fingerprint; what the machine is called there
	share       func() []byte // the machine's share of it
	tries       int
	failed      bool
}

// A table that is refused is offered a few times: the machine may have begun to move just then.
const (
	mostTries  = 4
	triesPause = 250 * time.Millisecond
)

// Want has a machine's share of a seal loaded, as soon as the machine stands still, so that
// a press need not wait for it. Wanted again it is not loaded twice, unless it was refused.
func (f *Machine) Want(print, name string, share func() []byte) {
	f.mu.Lock()
	if f.state.Print != print && (f.want == nil || f.want.print != print || f.want.failed) {
		f.want = &want{print: print, name: name, share: share}
	}
	f.mu.Unlock()
	f.nudge()
}

// nudge has the loader look again.
func (f *Machine) nudge() {
	select {
	case f.wanted <- struct{}{}:
	default:
	}
}

// due is the table that is to be loaded now, or nil.
func (f *Machine) due() *want {
	f.mu.Lock()
	defer f.mu.Unlock()
	w := f.want
	switch {
	case w == nil || w.failed || f.is.Version != link.Version:
		return nil
	case f.state.Print == w.print:
		f.want = nil
		return nil
	case f.epoch == 0 || f.right == nil || f.state.Epoch > f.epoch || f.state.Mode != link.Idle:
		return nil
	}
	f.loading = &Loading{Print: w.print}
	return w
}

// loads loads what is wanted, one table after another, until the connection ends.
func (f *Machine) loads(ctx context.Context, c link.Rig) {
	for {
		select {
		case <-ctx.Done():
			return
		case <-f.wanted:
		}
		w := f.due()
		if w == nil {
			continue
		}
		f.notify()
		err := f.load(ctx, c, w)
		f.mu.Lock()
		f.loading = nil
		if f.want == w && err == nil {
			f.want = nil
		}
		var refused *link.Refusal
		if errors.As(err, &refused) && ctx.Err() == nil {
			if w.tries++; w.tries >= mostTries {
				w.failed = true
				f.loading = &Loading{Print: w.print, Why: refused.Why}
			} else {
				again := time.AfterFunc(triesPause, f.nudge)
				defer again.Stop()
			}
		}
		f.mu.Unlock()
		if err != nil && ctx.Err() == nil {
			f.log.Warn("a sealed path was not loaded", "machine", f.id, "err", err)
		}
		f.notify()
	}
}

// load sends a table in parts, each answered before the next, so that no word that stops or
// keeps alive waits behind it.
func (f *Machine) load(ctx context.Context, c link.Rig, w *want) error {
	f.mu.Lock()
	epoch, zstd := f.epoch, f.is.Zstd
	f.mu.Unlock()
	all := w.share()
	if zstd {
		var err error
		if all, err = link.PackTable(all); err != nil {
			return err
		}
	}
	parts := (len(all) + link.PartBytes - 1) / link.PartBytes
	if parts > link.MostParts {
		return &link.Refusal{Why: fmt.Sprintf("this path is %d MB; a rig takes %d", len(all)>>20,
			link.MostParts*link.PartBytes>>20)}
	}
	began := time.Now()
	for k := range parts {
		part := link.Load{Epoch: epoch, Machine: w.name, Part: k, Of: parts, Packed: zstd,
			Bytes: all[k*link.PartBytes : min((k+1)*link.PartBytes, len(all))]}
		answer, cancel := context.WithTimeout(ctx, asking)
		r, err := link.Ask(answer, c, part)
		cancel()
		if err != nil {
			return err
		}
		if k == parts-1 && r.Print != w.print {
			return &link.Refusal{Why: fmt.Sprintf("the rig holds %s where %s was sent", r.Print, w.print)}
		}
		gone := time.Since(began).Seconds()
		f.mu.Lock()
		f.loading = &Loading{Print: w.print, Share: float64(k+1) / float64(parts),
			Left: gone / float64(k+1) * float64(parts-k-1)}
		if k == parts-1 {
			f.state.Print, f.loaded = r.Print, r.Tick // known before its next state says it
		}
		f.mu.Unlock()
	}
	return nil
}

// Holds reports whether a seal's table is in the machine; if it is not, what is to be said.
func (f *Machine) Holds(print string) (ok bool, why string) {
	f.mu.Lock()
	defer f.mu.Unlock()
	switch l := f.loading; {
	case f.state.Print == print:
		return true, ""
	case l != nil && l.Print == print && l.Why != "":
		return false, fmt.Sprintf("%s does not take the sealed path: %s", f.name, l.Why)
	case l != nil && l.Print == print && l.Left >= 1:
		return false, fmt.Sprintf("the sealed path is being loaded into %s, %.0f s; press again then", f.name, l.Left)
	}
	return false, fmt.Sprintf("the sealed path is being loaded into %s; press again in a moment", f.name)
}

// Loaded waits until a seal's table is in the machine.
func (f *Machine) Loaded(ctx context.Context, print string) error {
	var why string
	err := f.Until(ctx, func(s Snapshot) bool {
		if s.Loading != nil && s.Loading.Why != "" {
			why = s.Loading.Why
			return true
		}
		return s.State.Print == print
	})
	if err == nil && why != "" {
		err = errors.New(why)
	}
	return err
}
