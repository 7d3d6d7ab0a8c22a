package job

import (
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"io"
	"log/slog"
	"os"
	"path/filepath"
	"slices"
	"sync"
	"time"

	"pyrant/internal/base/fault"
	"pyrant/internal/shot/atomicfile"
)

// Limits of what is kept.
const (
	MostOpen  = 100            // exports that wait or run at a time
	KeptFor   = 24 * time.Hour // how long a finished job and its file are kept
	KeptBytes = 4 << 30        // of files: the oldest give way
)

// showAfter is how long work that nobody keeps must take to be told of, and tellEvery how often its
// progress is.
const (
	showAfter = 300 * time.Millisecond
	tellEvery = 150 * time.Millisecond
)

// Faults that callers tell apart.
var (
	ErrStopping = fault.New(
		fault.NoRoom,
		"Pyrant is being stopped. The shot is safe; do this again when Pyrant runs.",
	)
	ErrCancelled = fault.New(fault.Invalid, "This was cancelled in the list of jobs.")
	ErrGone      = fault.New(
		fault.Gone,
		"This job is no longer kept: it is older than a day, or made room for newer ones. The shot is safe.",
	)
)

// Options of a board.
type Options struct {
	Dir     string             // for the files that jobs make
	Rows    Rows               // may be nil
	Tell    func(Job)          // called with every change of a job that is shown; may be nil
	Explain func(error) string // says to the user why a job failed
	Log     *slog.Logger
	Bytes   int64 // of kept files; KeptBytes for 0
}

// Board holds all jobs. Its methods may be called by several goroutines.
type Board struct {
	opt    Options
	makers map[Kind]Maker
	work   sync.WaitGroup

	mu     sync.Mutex
	all    map[string]*entry // those that are shown
	queue  []*entry          // kept ones that wait: one is made at a time, as each uses all cores
	making bool              // somebody works on the queue
	busy   map[string]*entry // work that is not kept, by kind and subject
	rate   map[Kind]float64  // seconds that a unit of size took lately
	closed bool
}

// entry is a job with what the board needs to run it.
type entry struct {
	Job
	request []byte
	kept    bool
	do      func()     // makes the file of a kept one
	again   func() Job // does it once more; nil where who asked does so
	cancel  context.CancelFunc
	asked   bool // the user has cancelled it
	shown   bool
	told    time.Time
}

// New returns a board with the jobs that the rows have kept. Resume begins those anew that had not
// ended.
func New(opt Options, makers map[Kind]Maker) (*Board, error) {
	if opt.Bytes == 0 {
		opt.Bytes = KeptBytes
	}
	if opt.Log == nil {
		opt.Log = slog.Default()
	}
	b := &Board{opt: opt, makers: makers, all: map[string]*entry{},
		busy: map[string]*entry{}, rate: map[Kind]float64{}}
	if err := os.MkdirAll(opt.Dir, 0o700); err != nil {
		return nil, err
	}
	return b, b.read()
}

// read takes up the kept jobs, and removes files that belong to none.
func (b *Board) read() error {
	var rows []Row
	if b.opt.Rows != nil {
		var err error
		if rows, err = b.opt.Rows.Jobs(context.Background()); err != nil {
			return err
		}
	}
	for _, row := range rows {
		e := &entry{request: row.Request, kept: true, shown: true}
		if err := json.Unmarshal(row.Job, &e.Job); err != nil {
			b.opt.Log.Warn("a kept job cannot be read", "job", row.ID, "error", err)
			continue
		}
		e.Stage, e.Left = "", 0
		if info, err := os.Stat(b.path(e.ID)); e.State == Done && (err != nil ||
			info.Size() != e.Bytes) {
			e.State, e.Problem = Failed, "Its file is no longer there. Do it again."
		}
		b.all[e.ID] = e
		b.measure(&e.Job)
	}
	files, err := os.ReadDir(b.opt.Dir)
	if err != nil {
		return err
	}
	for _, f := range files {
		if e := b.all[f.Name()]; e == nil || e.State != Done {
			if err := os.RemoveAll(filepath.Join(b.opt.Dir, f.Name())); err != nil {
				return err
			}
		}
	}
	return nil
}

// Resume begins the kept jobs anew that had not ended, in their order, and lets go of those that
// are too old.
func (b *Board) Resume() {
	for _, j := range slices.Backward(b.List()) {
		b.mu.Lock()
		e := b.all[j.ID]
		if e != nil && !e.State.Ended() {
			b.begin(e)
		}
		b.mu.Unlock()
	}
	b.Prune()
}

// Start begins a job that makes a file. request is all that its maker needs to know.
func (b *Board) Start(j Job, request []byte) (Job, error) {
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.closed {
		return Job{}, ErrStopping
	}
	open := 0
	for _, o := range b.all {
		if o.kept && !o.State.Ended() {
			open++
		}
	}
	if open >= MostOpen {
		return Job{}, fault.New(fault.NoRoom,
			"%d exports are waiting already. Wait until some are done, or cancel them.", open)
	}
	e := &entry{Job: j, request: request, kept: true, shown: true}
	e.ID, e.Made = newID(), time.Now()
	if err := b.save(e, Waiting); err != nil {
		return Job{}, err
	}
	b.all[e.ID] = e
	b.begin(e)
	return b.snapshot(e), nil
}

// Retry begins a job anew that failed or was cancelled.
func (b *Board) Retry(id string) (Job, error) {
	b.mu.Lock()
	defer b.mu.Unlock()
	e := b.all[id]
	switch {
	case e == nil:
		return Job{}, ErrGone
	case b.closed:
		return Job{}, ErrStopping
	case e.State != Failed && e.State != Cancelled:
	case e.kept:
		if err := b.save(e, Waiting); err != nil {
			return Job{}, err
		}
		b.begin(e)
	case e.again != nil:
		if err := b.forget(e); err != nil {
			return Job{}, err
		}
		return e.again(), nil
	}
	return b.snapshot(e), nil
}

// begin puts a job in the queue. The caller holds b.mu.
func (b *Board) begin(e *entry) {
	ctx, cancel := context.WithCancel(context.Background())
	e.cancel, e.asked = cancel, false
	e.State, e.Stage, e.Share, e.Problem, e.Notes = Waiting, "", 0, "", nil
	e.Begun, e.Ended = time.Time{}, time.Time{}
	e.do = func() {
		defer cancel()
		notes, err := b.make(ctx, e)
		b.end(e, notes, err)
		b.Prune()
	}
	b.queue = append(b.queue, e)
	b.tell(e)
	if !b.making {
		b.making = true
		b.work.Go(b.makeAll)
	}
}

// makeAll makes what waits, one after the other, until nothing does.
func (b *Board) makeAll() {
	for {
		b.mu.Lock()
		if len(b.queue) == 0 || b.closed {
			b.making = false
			b.mu.Unlock()
			return
		}
		e := b.queue[0]
		b.queue = b.queue[1:]
		e.State, e.Begun = Working, time.Now()
		b.tell(e)
		b.mu.Unlock()
		e.do()
	}
}

// make makes the file of a job. A panic in it ends this job alone.
func (b *Board) make(ctx context.Context, e *entry) (notes []string, err error) {
	defer fault.Catch(&err)
	do := b.makers[e.Kind]
	if do == nil {
		return nil, fault.New(fault.Gone, "This Pyrant does not know how to do this.")
	}
	err = atomicfile.Write(b.path(e.ID), 0o600, func(w io.Writer) (err error) {
		notes, err = do(ctx, e.request, cancelled{ctx, w}, b.reporter(e))
		return err
	})
	if err != nil {
		return nil, err
	}
	info, err := os.Stat(b.path(e.ID))
	if err == nil {
		b.set(e, func() { e.Bytes = info.Size() })
	}
	return notes, err
}

// end notes how a kept job ended.
func (b *Board) end(e *entry, notes []string, err error) {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.ended(e, notes, err)
}

func (b *Board) ended(e *entry, notes []string, err error) {
	e.Ended, e.Stage, e.Notes = time.Now(), "", notes
	switch {
	case err == nil:
		e.State, e.Share = Done, 1
		b.measure(&e.Job)
	case fault.Cancelled(err) && !e.asked && b.closed:
		e.State = Cancelled // its row says that it goes on: so it does after the restart
		return
	case fault.Cancelled(err):
		e.State = Cancelled
	default:
		e.State, e.Problem = Failed, b.explain(&e.Job, err)
	}
	if err := b.save(e, e.State); err != nil {
		b.opt.Log.Warn("a job's end is not kept", "job", e.ID, "error", err)
	}
	b.tell(e)
}

func (b *Board) explain(j *Job, err error) string {
	var stack slog.Attr
	if p := (*fault.Panic)(nil); errors.As(err, &p) {
		stack = slog.String("stack", string(p.Stack))
	}
	b.opt.Log.Error("job failed", "kind", j.Kind, "subject", j.Subject, "error", err, stack)
	if b.opt.Explain == nil {
		return err.Error()
	}
	return b.opt.Explain(err)
}

// Run does work that belongs to the caller's request, and shows it as a job where it takes long.
// The same work at the same time, by its kind and subject, is shown once.
func (b *Board) Run(ctx context.Context, j Job, do Work) error {
	e := &entry{Job: j}
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	e.cancel = cancel
	if !b.enter(e) {
		return do(ctx, func(string, float64) {})
	}
	show := time.AfterFunc(showAfter, func() {
		b.set(e, func() {
			if !e.State.Ended() {
				e.shown, b.all[e.ID] = true, e
			}
		})
	})
	defer show.Stop()
	err := do(ctx, b.reporter(e))
	return b.leave(e, err)
}

// enter notes work that begins; false where the same is under way.
func (b *Board) enter(e *entry) bool {
	b.mu.Lock()
	defer b.mu.Unlock()
	key := string(e.Kind) + " " + e.Subject
	if b.busy[key] != nil {
		return false
	}
	b.busy[key] = e
	e.ID, e.Made, e.Begun, e.State = newID(), time.Now(), time.Now(), Working
	return true
}

// leave notes how such work ended, and returns what is to be said of it. Where it failed without
// anybody waiting for it, it stays on the board.
func (b *Board) leave(e *entry, err error) error {
	b.mu.Lock()
	defer b.mu.Unlock()
	delete(b.busy, string(e.Kind)+" "+e.Subject)
	e.Ended = time.Now()
	switch {
	case err == nil:
		e.State, e.Share = Done, 1
		b.measure(&e.Job)
	case e.asked:
		e.State, err = Cancelled, ErrCancelled
	case fault.Cancelled(err):
		e.State = Cancelled
	default:
		e.State = Failed
		if e.again != nil {
			e.Problem, e.shown, b.all[e.ID] = b.explain(&e.Job, err), true, e
			b.tell(e)
			return err
		}
	}
	e.Gone = true
	b.tell(e)
	delete(b.all, e.ID)
	return err
}

// Go does work in the background that can be done again at any time, one of a kind and subject at a
// time, and returns the job; where the same is under way, that.
func (b *Board) Go(j Job, do Work) (Job, error) {
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.closed {
		return Job{}, ErrStopping
	}
	if e := b.busy[string(j.Kind)+" "+j.Subject]; e != nil {
		return b.snapshot(e), nil
	}
	for _, e := range b.all { // one that failed before
		if e.Kind == j.Kind && e.Subject == j.Subject && e.State.Ended() {
			if err := b.forget(e); err != nil {
				return Job{}, err
			}
		}
	}
	return b.background(j, do), nil
}

// background begins work. The caller holds b.mu.
func (b *Board) background(j Job, do Work) Job {
	ctx, cancel := context.WithCancel(context.Background())
	e := &entry{Job: j, cancel: cancel}
	e.again = func() Job { return b.background(j, do) }
	e.ID, e.Made, e.Begun, e.State = newID(), time.Now(), time.Now(), Working
	b.busy[string(e.Kind)+" "+e.Subject] = e
	show := time.AfterFunc(showAfter, func() {
		b.set(e, func() {
			if !e.State.Ended() {
				e.shown, b.all[e.ID] = true, e
			}
		})
	})
	b.work.Go(func() {
		defer cancel()
		defer show.Stop()
		_ = b.leave(e, func() (err error) {
			defer fault.Catch(&err)
			return do(ctx, b.reporter(e))
		}())
	})
	return b.snapshot(e)
}

// reporter returns what work says how far it is with.
func (b *Board) reporter(e *entry) Report {
	return func(stage string, share float64) {
		b.mu.Lock()
		defer b.mu.Unlock()
		turn := stage != e.Stage
		e.Stage, e.Share = stage, share
		if e.shown && (turn || time.Since(e.told) > tellEvery) {
			b.tell(e)
		}
	}
}

// set changes a job and tells of it.
func (b *Board) set(e *entry, change func()) {
	b.mu.Lock()
	defer b.mu.Unlock()
	change()
	b.tell(e)
}

// tell says how a job is. The caller holds b.mu.
func (b *Board) tell(e *entry) {
	if e.shown && b.opt.Tell != nil {
		e.told = time.Now()
		b.opt.Tell(b.snapshot(e))
	}
}

// save keeps a job as being in a state. The caller holds b.mu.
func (b *Board) save(e *entry, as State) error {
	if b.opt.Rows == nil {
		return nil
	}
	j := e.Job
	j.State = as
	doc, err := json.Marshal(j)
	if err != nil {
		return err
	}
	return b.opt.Rows.SaveJob(context.Background(),
		Row{ID: e.ID, ShotID: e.Subject, Job: doc, Request: e.request})
}

// measure learns from a job that is done how long its kind takes.
func (b *Board) measure(j *Job) {
	took := j.Ended.Sub(j.Begun).Seconds()
	if j.State != Done || j.Size <= 0 || took <= 0 {
		return
	}
	r := took / j.Size
	if old := b.rate[j.Kind]; old > 0 {
		r = 0.7*old + 0.3*r
	}
	b.rate[j.Kind] = r
}

// snapshot returns a job as it is, with the time left. The caller holds b.mu.
func (b *Board) snapshot(e *entry) Job {
	j := e.Job
	j.Notes = slices.Clone(e.Notes)
	j.Left = b.left(e)
	if before := slices.Index(b.queue, e); before >= 0 && j.Left > 0 {
		for _, o := range b.all {
			if i := slices.Index(b.queue, o); o.State == Working && o.kept || i >= 0 && i < before {
				j.Left += b.left(o)
			}
		}
	}
	return j
}

// left returns how many seconds a job still takes by itself: by how fast it has gone so far, and
// before that can be told, by how long others of its kind took for their size.
func (b *Board) left(e *entry) float64 {
	expected := b.rate[e.Kind] * e.Size
	switch e.State {
	case Waiting:
		return expected
	case Working:
		spent := time.Since(e.Begun).Seconds()
		if e.Share > 0.05 && e.Share < 1 && spent > 0.5 {
			return spent * (1 - e.Share) / e.Share
		}
		return max(expected-spent, 0)
	}
	return 0
}

// List returns all jobs that are shown, the newest first.
func (b *Board) List() []Job {
	b.mu.Lock()
	defer b.mu.Unlock()
	out := make([]Job, 0, len(b.all))
	for _, e := range b.all {
		out = append(out, b.snapshot(e))
	}
	slices.SortFunc(out, func(a, b Job) int { return b.Made.Compare(a.Made) })
	return out
}

// Find returns a job that is shown.
func (b *Board) Find(id string) (Job, error) {
	b.mu.Lock()
	defer b.mu.Unlock()
	if e := b.all[id]; e != nil {
		return b.snapshot(e), nil
	}
	return Job{}, ErrGone
}

// Cancel ends a job's work; of one that has ended nothing changes.
func (b *Board) Cancel(id string) (Job, error) {
	b.mu.Lock()
	defer b.mu.Unlock()
	e := b.all[id]
	for _, o := range b.busy {
		if o.ID == id {
			e = o
		}
	}
	if e == nil {
		return Job{}, ErrGone
	}
	if !e.State.Ended() {
		e.asked = true
		e.cancel()
		if i := slices.Index(b.queue, e); i >= 0 {
			b.queue = slices.Delete(b.queue, i, i+1)
			b.ended(e, nil, context.Canceled)
		}
		j := b.snapshot(e)
		j.State, j.Left = Cancelled, 0 // so it will be in a moment
		return j, nil
	}
	return b.snapshot(e), nil
}

// Remove takes a job that has ended off the board, with its file.
func (b *Board) Remove(id string) error {
	b.mu.Lock()
	defer b.mu.Unlock()
	e := b.all[id]
	if e == nil || !e.State.Ended() {
		return nil
	}
	return b.forget(e)
}

// forget lets go of a job. The caller holds b.mu.
func (b *Board) forget(e *entry) error {
	delete(b.all, e.ID)
	e.Gone = true
	b.tell(e)
	if !e.kept {
		return nil
	}
	err := os.Remove(b.path(e.ID))
	if errors.Is(err, os.ErrNotExist) {
		err = nil
	}
	if b.opt.Rows != nil {
		err = errors.Join(err, b.opt.Rows.RemoveJob(context.Background(), e.ID))
	}
	return err
}

// Prune lets go of jobs that ended too long ago, and of the oldest while their files together take
// more than they may; the newest stays.
func (b *Board) Prune() {
	b.mu.Lock()
	defer b.mu.Unlock()
	var ended []*entry
	sum := int64(0)
	for _, e := range b.all {
		if e.State.Ended() {
			ended = append(ended, e)
			sum += e.Bytes
		}
	}
	slices.SortFunc(ended, func(a, b *entry) int { return a.Made.Compare(b.Made) })
	for i, e := range ended {
		old := time.Since(e.Ended) > KeptFor
		if !old && (sum <= b.opt.Bytes || i == len(ended)-1) {
			continue
		}
		sum -= e.Bytes
		if err := b.forget(e); err != nil {
			b.opt.Log.Warn("a job is not removed", "job", e.ID, "error", err)
		}
	}
}

// Path returns where the file of a job is, and the job. Where there is no such file, an error says
// so.
func (b *Board) Path(id string) (string, Job, error) {
	j, err := b.Find(id)
	if err == nil && (j.State != Done || j.Kind != Export) {
		err = fault.New(fault.Invalid, "This export is not finished.")
	}
	return b.path(id), j, err
}

func (b *Board) path(id string) string { return filepath.Join(b.opt.Dir, id) }

// Refuse takes nothing on any more, and ends all work.
func (b *Board) Refuse() {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.closed = true
	for _, list := range []map[string]*entry{b.all, b.busy} {
		for _, e := range list {
			if e.cancel != nil {
				e.cancel()
			}
		}
	}
}

// Stop is Refuse, and waits until all work in the background has ended.
func (b *Board) Stop() {
	b.Refuse()
	b.work.Wait()
}

func newID() string { return rand.Text()[:16] }

// cancelled is a writer that refuses to go on when a context is done: encoders know of none.
type cancelled struct {
	ctx context.Context
	io.Writer
}

func (w cancelled) Write(p []byte) (int, error) {
	if err := w.ctx.Err(); err != nil {
		return 0, err
	}
	return w.Writer.Write(p)
}
