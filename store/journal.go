package store

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"path/filepath"
	"sync"
	"sync/atomic"
	"time"

	"keenarc/core/clock"
	"keenarc/core/trace"
	"keenarc/journal"
)

// Journal is the stage's journal over the database. While the database is
// away, what must not be lost goes into a spool file, in order, and is stored
// when the database is back. What the database refuses for good is set aside in
// a file of its own, so that it neither is lost nor holds up what follows.
type Journal struct {
	s     *Store
	file  string
	aside string
	log   *slog.Logger
	sync  func(*os.File) error // fsync
	mu    sync.Mutex           // guards the two files
	apart atomic.Int64         // lines in aside; read while mu is held for long
	// rights are connections on which a machine's right was asked for in vain.
	rights sync.Map
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

// setAside is one line of the file of what could never be stored.
type setAside struct {
	At   time.Time       `json:"at"`
	Why  string          `json:"why"`
	Line json.RawMessage `json:"line,omitempty"`
	Text string          `json:"text,omitempty"` // a line that is not JSON
}

// patience is how long the database is waited for before spooling. Tests that are not about it have
// more.
var patience = 2 * time.Second

// NewJournal keeps its spool in a folder.
func NewJournal(s *Store, folder string, log *slog.Logger) (*Journal, error) {
	if err := os.MkdirAll(folder, 0o700); err != nil {
		return nil, fmt.Errorf("spool folder: %w", err)
	}
	if err := os.Chmod(folder, 0o700); err != nil { // it may be one of an earlier day
		return nil, fmt.Errorf("spool folder: %w", err)
	}
	j := &Journal{s: s, file: filepath.Join(folder, "spool.jsonl"), aside: filepath.Join(folder, "aside.jsonl"),
		log: log, sync: (*os.File).Sync}
	n, err := lines(j.aside)
	if err != nil {
		return nil, fmt.Errorf("spool folder: %w", err)
	}
	j.apart.Store(int64(n))
	return j, nil
}

func lines(file string) (n int, err error) {
	f, err := os.Open(file)
	if errors.Is(err, os.ErrNotExist) {
		return 0, nil
	} else if err != nil {
		return 0, err
	}
	defer f.Close()
	for in := bufio.NewReader(f); ; n++ {
		if _, err := in.ReadBytes('\n'); err == io.EOF {
			return n, nil
		} else if err != nil {
			return n, err
		}
	}
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

// End stores or spools the end of a take and what is said of it.
func (j *Journal) End(ctx context.Context, t *journal.Take, says journal.Entry) error {
	if says.ID == "" {
		says.ID = journal.NewID()
	}
	x := spooled{Do: "end", Take: t, Entry: &says}
	if t.Trace != nil {
		x.Tick = t.Trace.Tick
	}
	return j.keep(ctx, x)
}

// Log stores or spools an entry.
func (j *Journal) Log(ctx context.Context, e journal.Entry) error {
	if e.ID == "" {
		e.ID = journal.NewID()
	}
	return j.keep(ctx, spooled{Do: "log", Entry: &e})
}

// Unfinished lists the takes that were begun and never ended.
func (j *Journal) Unfinished(ctx context.Context, machine string) ([]*journal.Take, error) {
	if err := j.Drain(ctx); err != nil { // their ends may lie in the spool
		return nil, err
	}
	ids, err := j.s.Unfinished(ctx, machine)
	if err != nil {
		return nil, err
	}
	var out []*journal.Take
	for _, id := range ids {
		t, err := j.s.Take(ctx, id)
		if err != nil && (ctx.Err() != nil || passing(err)) {
			return nil, err
		}
		if err != nil { // it keeps no other from being ended
			j.log.Error("a take that was begun cannot be read; it is left as it is", "take", id, "err", err)
			continue
		}
		out = append(out, t)
	}
	return out, nil
}

// Find is a take with the rows that are stored of it.
func (j *Journal) Find(ctx context.Context, id string) (*journal.Take, error) {
	ctx, cancel := context.WithTimeout(ctx, patience)
	defer cancel()
	if err := j.Drain(ctx); err != nil {
		return nil, err
	}
	t, err := j.s.Take(ctx, id)
	if errors.Is(err, ErrNotFound) || err != nil && permanent(err) { // an id that is no id is none of ours
		return nil, journal.ErrUnknown
	}
	return t, err
}

// Aside says what could never be stored. It never waits, however long the
// database is away.
func (j *Journal) Aside() journal.Aside {
	return journal.Aside{File: j.aside, Entries: int(j.apart.Load())}
}

func (j *Journal) keep(ctx context.Context, x spooled) error {
	j.mu.Lock()
	defer j.mu.Unlock()
	if _, err := os.Stat(j.file); errors.Is(err, os.ErrNotExist) {
		err := j.try(ctx, x)
		switch {
		case err == nil:
			return nil
		case j.never(ctx, x, err):
			return j.putAside(ctx, setAside{Why: reason(err), Line: encode(x)})
		}
		j.log.Warn("the database is away; writing to the spool", "file", j.file, "err", err)
	}
	return j.append(j.file, encode(x))
}

func encode(x spooled) []byte {
	b, err := json.Marshal(x)
	if err != nil { // a take's frame that is no number: nothing else can do it
		return nil
	}
	return b
}

func (j *Journal) try(ctx context.Context, x spooled) error {
	ctx, cancel := context.WithTimeout(ctx, patience)
	defer cancel()
	return j.apply(ctx, x)
}

func (j *Journal) apply(ctx context.Context, x spooled) error {
	switch {
	case x.Do == "rows" && x.Take != nil:
		return j.s.AddRows(ctx, x.Take.ID, x.From, x.Pos, x.Steps)
	case x.Do == "end" && x.Take != nil: // a spool of an earlier version has its entry apart
		if x.Take.Trace == nil {
			x.Take.Trace = &trace.Trace{Tick: x.Tick}
		}
		return j.s.EndTake(ctx, x.Take, x.Entry)
	case x.Do == "log" && x.Entry != nil:
		return j.s.AddLog(ctx, *x.Entry)
	}
	return &unreadable{fmt.Sprintf("%q is nothing that is spooled", x.Do)}
}

// append adds a line to a file and returns when it is on the disk. What a crash
// left of a half-written line is cut off first: it was never answered for, and
// would spoil the line that follows.
func (j *Journal) append(file string, line []byte) error {
	if line == nil {
		return errors.New("spool: an entry has no JSON")
	}
	_, err := os.Stat(file)
	fresh := errors.Is(err, os.ErrNotExist)
	f, err := os.OpenFile(file, os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return fmt.Errorf("spool: %w", err)
	}
	defer f.Close()
	end, err := wholeLines(f)
	if err != nil {
		return fmt.Errorf("spool: %w", err)
	}
	if _, err := f.WriteAt(append(line, '\n'), end); err != nil {
		_ = f.Truncate(end) // the disk is full, perhaps: what is there stays readable
		return fmt.Errorf("spool: %w", err)
	}
	if err := j.sync(f); err != nil {
		return fmt.Errorf("spool: %w", err)
	}
	if fresh { // its name has to be on the disk, too
		return j.syncFolder()
	}
	return nil
}

// syncFolder has what was made, renamed and removed in the folder written through.
func (j *Journal) syncFolder() error {
	d, err := os.Open(filepath.Dir(j.file))
	if err != nil {
		return fmt.Errorf("spool: %w", err)
	}
	defer d.Close()
	if err := j.sync(d); err != nil {
		return fmt.Errorf("spool: %w", err)
	}
	return nil
}

// wholeLines cuts a file off behind its last line feed and says where that is.
func wholeLines(f *os.File) (int64, error) {
	end, err := f.Seek(0, io.SeekEnd)
	if err != nil {
		return 0, err
	}
	size, buf := end, make([]byte, 64<<10)
	for end > 0 {
		n := min(end, int64(len(buf)))
		if _, err := f.ReadAt(buf[:n], end-n); err != nil {
			return 0, err
		}
		for ; n > 0 && buf[n-1] != '\n'; n-- {
			end--
		}
		if n > 0 {
			break
		}
	}
	if end == size {
		return end, nil
	}
	return end, f.Truncate(end)
}

// putAside keeps what can never be stored and says so in the log.
func (j *Journal) putAside(ctx context.Context, a setAside) error {
	a.At = time.Now()
	b, err := json.Marshal(a)
	if err != nil {
		return err
	}
	if err := j.append(j.aside, b); err != nil {
		return err
	}
	j.apart.Add(1)
	j.log.Error("an entry can never be stored and is set aside", "file", j.aside, "why", a.Why)
	e := journal.Entry{ID: journal.NewID(), At: a.At, Actor: journal.Itself, Kind: "aside",
		Text: fmt.Sprintf("An entry could not be stored and lies in %s: %s.", j.aside, a.Why)}
	x := spooled{Do: "log", Entry: &e}
	if err := j.try(ctx, x); err != nil {
		return j.append(j.file, encode(x))
	}
	return nil
}

// Drain stores what is in the spool; it is called now and then. The spool is
// deleted when every whole line of it is stored or set aside.
func (j *Journal) Drain(ctx context.Context) error {
	j.mu.Lock()
	defer j.mu.Unlock()
	f, err := os.Open(j.file)
	if errors.Is(err, os.ErrNotExist) {
		return nil
	} else if err != nil {
		return err
	}
	defer f.Close()
	in := bufio.NewReader(f)
	var at int64 // where the line begins that is not stored yet
	for n := 0; ; n++ {
		line, err := in.ReadBytes('\n')
		if err == io.EOF { // a last line without its end was never answered for
			j.log.Info("the database is back; the spool is stored", "entries", n)
			return os.Remove(j.file)
		}
		if err == nil {
			err = j.drainLine(ctx, line)
		}
		if err != nil {
			return errors.Join(fmt.Errorf("the spool waits, %d of its entries are stored: %w", n, err),
				j.keepFrom(f, at))
		}
		at += int64(len(line))
	}
}

func (j *Journal) drainLine(ctx context.Context, line []byte) error {
	var x spooled
	err := json.Unmarshal(line, &x)
	if err != nil {
		return j.putAside(ctx, setAside{Why: "it cannot be read: " + err.Error(), Text: string(line)})
	}
	if err = j.try(ctx, x); err != nil && j.never(ctx, x, err) {
		return j.putAside(ctx, setAside{Why: reason(err), Line: line[:len(line)-1]})
	}
	return err
}

// keepFrom leaves in the spool what is not stored yet.
func (j *Journal) keepFrom(f *os.File, at int64) error {
	if at == 0 {
		return nil
	}
	tmp, err := os.OpenFile(j.file+".rest", os.O_CREATE|os.O_TRUNC|os.O_RDWR, 0o600)
	if err != nil {
		return err
	}
	defer tmp.Close()
	if _, err := f.Seek(at, io.SeekStart); err != nil {
		return err
	}
	if _, err := io.Copy(tmp, f); err != nil {
		return err
	}
	if err := j.sync(tmp); err != nil {
		return err
	}
	if err := os.Rename(tmp.Name(), j.file); err != nil {
		return err
	}
	return j.syncFolder()
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
