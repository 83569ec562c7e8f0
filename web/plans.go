package web

import (
	"context"
	"sync"
	"time"

	"keenarc/stage/act"
)

// plans says what the pass on a desk is; the store does.
type plans interface {
	open(shot, pass string) plan
}

// plan is the pass on one desk, kept ready for a press.
type plan interface {
	// machine is the one that the pass is for, by its rig's id.
	machine(ctx context.Context) (string, error)
	// rolling is what a press rolls now.
	rolling(ctx context.Context) (act.Rolling, error)
	// keep keeps it ready until the context ends, and has its path loaded.
	keep(ctx context.Context)
}

// stored are the plans in the store.
type stored struct{ s *Server }

func (p stored) open(shot, pass string) plan {
	return &storedPlan{s: p.s, shot: shot, pass: pass, seen: -1}
}

type storedPlan struct {
	s          *Server
	shot, pass string
	mu         sync.Mutex
	seen       int64 // the shot's version that now is of; -1: none
	now        act.Rolling
}

// rolling is what was kept ready, where nothing has changed since; else it is read.
func (p *storedPlan) rolling(ctx context.Context) (act.Rolling, error) {
	p.s.mu.Lock()
	v := p.s.began + p.s.common + p.s.versions[p.shot] // as version has it
	p.s.mu.Unlock()
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.seen == v {
		return p.now, nil
	}
	r, err := p.s.passFor(ctx, p.shot, p.pass)
	if err != nil {
		return r, err
	}
	p.now, p.seen = r, v
	return r, nil
}

func (p *storedPlan) machine(ctx context.Context) (string, error) {
	r, err := p.rolling(ctx)
	if err != nil || r.Desk == nil || len(r.Desk.Machines) == 0 {
		return "", err
	}
	return r.Desk.Machines[0].Rig.ID, nil
}

// keepEvery is how often it is looked whether a plan has changed.
const keepEvery = 150 * time.Millisecond

func (p *storedPlan) keep(ctx context.Context) {
	tk := time.NewTicker(keepEvery)
	defer tk.Stop()
	loaded, boot := "", "" // of what, into which run of the machine: switched off, it holds nothing
	for {
		look, cancel := context.WithTimeout(ctx, 3*time.Second)
		r, err := p.rolling(look)
		cancel()
		if err == nil && r.Pass != nil {
			if m, err := p.s.floor.Of(r.Desk.Machines[0].Rig.ID); err == nil {
				if now := m.Now().Boot; r.Pass.Print != loaded || now != boot {
					p.s.conductor.Load(m, r.Pass.Machine, r.Pass.Table, r.Pass.Print)
					loaded, boot = r.Pass.Print, now
				}
			}
		}
		select {
		case <-ctx.Done():
			return
		case <-tk.C:
		}
	}
}
