package store

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"path/filepath"
	"sync"
	"time"

	"keenarc/core/clock"
	"keenarc/journal"
)

// Journal is the stage's journal over the database. While the database is
// away, what must not be lost goes into a spool file, in order, and is stored
// when the database is back.
type Journal struct {
	s    *Store
	file string
	log  *slog.Logger
	mu   sync.Mutex // guards the spool file
}

// spooled is one line of the spool.
type spooled struct {
	Do    string         `json:"do"` // rows, end, log
	Take  *journal.Take  `json:"take,omitempty"`
	Tick  int64          `json:"tick,omitempty"`
	From  int            `json:"from,omitempty"`
	Pos   []clock.Pos    `json:"pos,omitempty"`
	Steps [][]int32      `json:"steps,omitempty"`
	Entry *journal.Entry `json:"entry,omitempty"`
}

// patience is how long the database is waited for before spooling.
const patience = 2 * time.Second

// NewJournal keeps its spool in a folder.
func NewJournal(s *Store, folder string, log *slog.Logger) (*Journal, error) {
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return nil, fmt.Errorf("spool folder: %w", err)
	}
	return &Journal{s: s, file: filepath.Join(folder, "spool.jsonl"), log: log}, nil
}

// Begin numbers the take; without a database no take begins.
func (j *Journal) Begin(ctx context.Context, t *journal.Take) error {
	ctx, cancel := context.WithTimeout(ctx, patience)
	defer cancel()
	return j.s.BeginTake(ctx, t)
}

// Rows stores or spools a stretch of trace.
func (j *Journal) Rows(ctx context.Context, t *journal.Take, from int, pos []clock.Pos, steps [][]int32) error {
	return j.keep(ctx, spooled{Do: "rows", Take: t, From: from, Pos: pos, Steps: steps})
}

// End stores or spools the end of a take.
func (j *Journal) End(ctx context.Context, t *journal.Take) error {
	x := spooled{Do: "end", Take: t}
	if t.Trace != nil {
		x.Tick = t.Trace.Tick
	}
	return j.keep(ctx, x)
}

// Log stores or spools an entry.
func (j *Journal) Log(ctx context.Context, e journal.Entry) error {
	return j.keep(ctx, spooled{Do: "log", Entry: &e})
}

func (j *Journal) keep(ctx context.Context, x spooled) error {
	j.mu.Lock()
	defer j.mu.Unlock()
	if _, err := os.Stat(j.file); os.IsNotExist(err) {
		try, cancel := context.WithTimeout(ctx, patience)
		err := j.apply(try, x)
		cancel()
		if err == nil {
			return nil
		}
		j.log.Warn("the database is away; writing to the spool", "file", j.file, "err", err)
	}
	f, err := os.OpenFile(j.file, os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o644)
	if err != nil {
		return fmt.Errorf("spool: %w", err)
	}
	defer f.Close()
	if err := json.NewEncoder(f).Encode(x); err != nil {
		return fmt.Errorf("spool: %w", err)
	}
	return f.Sync()
}

func (j *Journal) apply(ctx context.Context, x spooled) error {
	switch x.Do {
	case "rows":
		return j.s.AddRows(ctx, x.Take.ID, x.From, x.Pos, x.Steps)
	case "end":
		if x.Take.Trace == nil && x.Tick != 0 {
			x.Take.Trace = traceAt(x.Tick)
		}
		return j.s.EndTake(ctx, x.Take)
	}
	return j.s.AddLog(ctx, *x.Entry)
}

// Drain stores what is in the spool; it is called now and then.
func (j *Journal) Drain(ctx context.Context) error {
	j.mu.Lock()
	defer j.mu.Unlock()
	f, err := os.Open(j.file)
	if os.IsNotExist(err) {
		return nil
	} else if err != nil {
		return err
	}
	defer f.Close()
	in := bufio.NewReader(f)
	for n := 0; ; n++ {
		line, err := in.ReadBytes('\n')
		if err != nil { // a last line without its end was never answered for
			j.log.Info("the database is back; the spool is stored", "entries", n)
			return os.Remove(j.file)
		}
		var x spooled
		if err := json.Unmarshal(line, &x); err != nil {
			j.log.Error("a line of the spool cannot be read and is left out", "err", err)
			continue
		}
		try, cancel := context.WithTimeout(ctx, patience)
		err = j.apply(try, x)
		cancel()
		if err != nil {
			return errors.Join(fmt.Errorf("the spool waits, %d of its entries are stored: %w", n, err), j.keepRest(line, in))
		}
	}
}

// keepRest leaves in the spool what is not stored yet, so that nothing is
// stored twice.
func (j *Journal) keepRest(first []byte, rest io.Reader) error {
	tmp, err := os.Create(j.file + ".rest")
	if err != nil {
		return err
	}
	defer tmp.Close()
	if _, err := io.Copy(tmp, io.MultiReader(bytes.NewReader(first), rest)); err != nil {
		return err
	}
	if err := tmp.Sync(); err != nil {
		return err
	}
	return os.Rename(tmp.Name(), j.file)
}

// Run drains the spool every second until the context ends.
func (j *Journal) Run(ctx context.Context) {
	tk := time.NewTicker(time.Second)
	defer tk.Stop()
	for {
		if err := j.Drain(ctx); err != nil && ctx.Err() == nil {
			j.log.Debug("spool", "err", err)
		}
		select {
		case <-ctx.Done():
			return
		case <-tk.C:
		}
	}
}
