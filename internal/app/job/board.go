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

// Limits of stored jobs.
const (
	MaxOpen  = 100            // unfinished exports
	MaxAge   = 24 * time.Hour // of finished jobs
	MaxBytes = 4 << 30        // of all files; the oldest are deleted first
)

// showDelay is how long a task that is not stored runs before it is shown. publishInterval limits
// how often progress is published.
const (
	showDelay       = 300 * time.Millisecond
	publishInterval = 150 * time.Millisecond
)

// Errors of a board.
var (
	ErrStopping = fault.New(
		fault.NoRoom,
		"Pyrant is stopping. The shot is safe. Try again when Pyrant runs.",
	)
	ErrCancelled = fault.New(fault.Invalid, "Cancelled. Nothing was changed.")
	ErrGone      = fault.New(
		fault.Gone,
		"This job was deleted: it was older than a day, or newer exports needed its space. The shot is safe.",
	)
)

// Options of a board.
type Options struct {
	Dir     string             // of the files
	Rows    Rows               // may be nil
	Publish func(Job)          // receives every change of a shown job; may be nil
	Explain func(error) string // returns the reason for the user
	Log     *slog.Logger
	Bytes   int64 // limit of all files; 0 means MaxBytes
}

// Board holds all jobs. It is safe for concurrent use.
type Board struct {
	opt    Options
	makers map[Kind]Maker
	work   sync.WaitGroup

	mu             sync.Mutex
	all            map[string]*entry // shown jobs by id
	queue          []*entry          // stored jobs; they run one at a time, as each uses all cores
	making         bool              // a goroutine runs the queue
	running        map[string]*entry // tasks that are not stored, by key
	secondsPerUnit map[Kind]float64  // moving average
	closed         bool
}

// entry is a job on the board.
type entry struct {
	Job
	request     []byte
	kept        bool
	do          func()     // writes the file of a stored job
	rerun       func() Job // starts a background task again; nil for others
	cancel      context.CancelFunc
	cancelAsked bool // by the user
	shown       bool
	published   time.Time
}

// key identifies work that must not run twice at a time.
func (e *entry) key() string { return string(e.Kind) + " " + e.Subject }

// New returns a board with the stored jobs. Resume starts those that had not ended.
func New(opt Options, makers map[Kind]Maker) (*Board, error) {
	if opt.Bytes == 0 {
		opt.Bytes = MaxBytes
	}
	if opt.Log == nil {
		opt.Log = slog.Default()
	}
	b := &Board{opt: opt, makers: makers, all: map[string]*entry{},
		running: map[string]*entry{}, secondsPerUnit: map[Kind]float64{}}
	if err := os.MkdirAll(opt.Dir, 0o700); err != nil {
		return nil, err
	}
	return b, b.read()
}

// read loads the stored jobs and deletes files without a job.
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
		e.Stage, e.Remaining = "", 0
		if info, err := os.Stat(b.path(e.ID)); e.State == Done && (err != nil ||
			info.Size() != e.Bytes) {
			e.State, e.Problem = Failed, "The file is no longer there. Try again."
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
	if open >= MaxOpen {
		return Job{}, fault.New(fault.NoRoom,
			"%d exports are waiting already. Wait until some are done, or cancel them.", open)
	}
	e := &entry{Job: j, request: request, kept: true, shown: true}
	e.ID, e.Created = newID(), time.Now()
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
	case e.rerun != nil:
		if err := b.forget(e); err != nil {
			return Job{}, err
		}
		return e.rerun(), nil
	}
	return b.snapshot(e), nil
}

// begin puts a job in the queue. The caller holds b.mu.
func (b *Board) begin(e *entry) {
	ctx, cancel := context.WithCancel(context.Background())
	e.cancel, e.cancelAsked = cancel, false
	e.State, e.Stage, e.Share, e.Problem, e.Notes = Waiting, "", 0, "", nil
	e.Started, e.Finished = time.Time{}, time.Time{}
	e.do = func() {
		defer cancel()
		notes, err := b.make(ctx, e)
		b.end(e, notes, err)
		b.Prune()
	}
	b.queue = append(b.queue, e)
	b.publish(e)
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
		e.State, e.Started = Working, time.Now()
		b.publish(e)
		b.mu.Unlock()
		e.do()
	}
}

// make makes the file of a job. A panic in it ends this job alone.
func (b *Board) make(ctx context.Context, e *entry) (notes []string, err error) {
	defer fault.Catch(&err)
	do := b.makers[e.Kind]
	if do == nil {
		return nil, fault.New(fault.Gone, "Pyrant does not know this kind of job.")
	}
	err = atomicfile.Write(b.path(e.ID), 0o600, func(w io.Writer) (err error) {
		notes, err = do(ctx, e.request, w, b.reporter(e))
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
	e.Finished, e.Stage, e.Notes = time.Now(), "", notes
	switch {
	case err == nil:
		e.State, e.Share = Done, 1
		b.measure(&e.Job)
	case fault.Cancelled(err) && !e.cancelAsked && b.closed:
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
	b.publish(e)
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

// Run does work in the caller's goroutine and shows it as a job if it takes longer than showDelay.
// The same work at the same time, by kind and subject, is shown once.
func (b *Board) Run(ctx context.Context, j Job, do Work) error {
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	e := &entry{Job: j, cancel: cancel}
	b.mu.Lock()
	shared := b.running[e.key()] != nil
	if !shared {
		b.start(e)
	}
	b.mu.Unlock()
	if shared {
		return do(ctx, func(string, float64) {})
	}
	return b.finish(e, b.attempt(ctx, e, do))
}

// Go does work in a goroutine and returns its job. Work of the same kind and subject that already
// runs is not started again. A failed job stays on the board and can be retried.
func (b *Board) Go(j Job, do Work) (Job, error) {
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.closed {
		return Job{}, ErrStopping
	}
	e := &entry{Job: j}
	if running := b.running[e.key()]; running != nil {
		return b.snapshot(running), nil
	}
	for _, failed := range b.all {
		if failed.key() == e.key() && failed.State.Ended() {
			if err := b.forget(failed); err != nil {
				return Job{}, err
			}
		}
	}
	return b.background(e, do), nil
}

// background starts work in a goroutine. The caller holds b.mu.
func (b *Board) background(e *entry, do Work) Job {
	ctx, cancel := context.WithCancel(context.Background())
	e.cancel = cancel
	e.rerun = func() Job {
		return b.background(&entry{Job: Job{Kind: e.Kind, Subject: e.Subject, Title: e.Title}}, do)
	}
	b.start(e)
	b.work.Go(func() {
		defer cancel()
		_ = b.finish(e, b.attempt(ctx, e, do)) // the board shows the error
	})
	return b.snapshot(e)
}

// attempt does work and returns a panic in it as an error.
func (b *Board) attempt(ctx context.Context, e *entry, do Work) (err error) {
	defer fault.Catch(&err)
	return do(ctx, b.reporter(e))
}

// start registers running work and shows it after showDelay. The caller holds b.mu.
func (b *Board) start(e *entry) {
	e.ID, e.Created, e.Started, e.State = newID(), time.Now(), time.Now(), Working
	b.running[e.key()] = e
	time.AfterFunc(showDelay, func() {
		b.mu.Lock()
		defer b.mu.Unlock()
		if !e.State.Ended() {
			e.shown, b.all[e.ID] = true, e
			b.publish(e)
		}
	})
}

// finish records the result of work and returns the error for its caller. Failed background work
// stays on the board.
func (b *Board) finish(e *entry, err error) error {
	b.mu.Lock()
	defer b.mu.Unlock()
	delete(b.running, e.key())
	e.Finished = time.Now()
	switch {
	case err == nil:
		e.State, e.Share = Done, 1
		b.measure(&e.Job)
	case e.cancelAsked:
		e.State, err = Cancelled, ErrCancelled
	case fault.Cancelled(err):
		e.State = Cancelled
	case e.rerun != nil:
		e.State, e.Problem, e.shown, b.all[e.ID] = Failed, b.explain(&e.Job, err), true, e
		b.publish(e)
		return err
	default:
		e.State = Failed
	}
	e.Removed = true
	b.publish(e)
	delete(b.all, e.ID)
	return err
}

// reporter returns the Report of a task.
func (b *Board) reporter(e *entry) Report {
	return func(stage string, share float64) {
		b.mu.Lock()
		defer b.mu.Unlock()
		turn := stage != e.Stage
		e.Stage, e.Share = stage, share
		if e.shown && (turn || time.Since(e.published) > publishInterval) {
			b.publish(e)
		}
	}
}

// set changes a job and publishes it.
func (b *Board) set(e *entry, change func()) {
	b.mu.Lock()
	defer b.mu.Unlock()
	change()
	b.publish(e)
}

// publish sends a snapshot of a shown job. The caller holds b.mu.
func (b *Board) publish(e *entry) {
	if e.shown && b.opt.Publish != nil {
		e.published = time.Now()
		b.opt.Publish(b.snapshot(e))
	}
}

// save stores a job with the given state. The caller holds b.mu.
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

// measure updates the average time of a kind from a finished job.
func (b *Board) measure(j *Job) {
	took := j.Finished.Sub(j.Started).Seconds()
	if j.State != Done || j.Size <= 0 || took <= 0 {
		return
	}
	r := took / j.Size
	if old := b.secondsPerUnit[j.Kind]; old > 0 {
		r = 0.7*old + 0.3*r
	}
	b.secondsPerUnit[j.Kind] = r
}

// snapshot returns a copy of a job with its remaining time. The caller holds b.mu.
func (b *Board) snapshot(e *entry) Job {
	j := e.Job
	j.Notes = slices.Clone(e.Notes)
	j.Remaining = b.remaining(e)
	if before := slices.Index(b.queue, e); before >= 0 && j.Remaining > 0 {
		for _, o := range b.all {
			if i := slices.Index(b.queue, o); o.State == Working && o.kept || i >= 0 && i < before {
				j.Remaining += b.remaining(o)
			}
		}
	}
	return j
}

// remaining estimates the seconds until a job ends, without the queue before it: from its own
// speed, and until 5 % are done from the average of its kind.
func (b *Board) remaining(e *entry) float64 {
	expected := b.secondsPerUnit[e.Kind] * e.Size
	switch e.State {
	case Waiting:
		return expected
	case Working:
		spent := time.Since(e.Started).Seconds()
		if e.Share > 0.05 && e.Share < 1 && spent > 0.5 {
			return spent * (1 - e.Share) / e.Share
		}
		return max(expected-spent, 0)
	}
	return 0
}

// List returns the shown jobs, newest first.
func (b *Board) List() []Job {
	b.mu.Lock()
	defer b.mu.Unlock()
	out := make([]Job, 0, len(b.all))
	for _, e := range b.all {
		out = append(out, b.snapshot(e))
	}
	slices.SortFunc(out, func(a, b Job) int { return b.Created.Compare(a.Created) })
	return out
}

// Find returns a shown job.
func (b *Board) Find(id string) (Job, error) {
	b.mu.Lock()
	defer b.mu.Unlock()
	if e := b.all[id]; e != nil {
		return b.snapshot(e), nil
	}
	return Job{}, ErrGone
}

// Cancel cancels a job. It does nothing to a job that has ended.
func (b *Board) Cancel(id string) (Job, error) {
	b.mu.Lock()
	defer b.mu.Unlock()
	e := b.all[id]
	for _, o := range b.running {
		if o.ID == id {
			e = o
		}
	}
	if e == nil {
		return Job{}, ErrGone
	}
	if !e.State.Ended() {
		e.cancelAsked = true
		e.cancel()
		if i := slices.Index(b.queue, e); i >= 0 {
			b.queue = slices.Delete(b.queue, i, i+1)
			b.ended(e, nil, context.Canceled)
		}
		j := b.snapshot(e)
		j.State, j.Remaining = Cancelled, 0 // as soon as its work returns
		return j, nil
	}
	return b.snapshot(e), nil
}

// Remove deletes an ended job and its file.
func (b *Board) Remove(id string) error {
	b.mu.Lock()
	defer b.mu.Unlock()
	e := b.all[id]
	if e == nil || !e.State.Ended() {
		return nil
	}
	return b.forget(e)
}

// forget removes a job and its file. The caller holds b.mu.
func (b *Board) forget(e *entry) error {
	delete(b.all, e.ID)
	e.Removed = true
	b.publish(e)
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

// Prune deletes jobs older than MaxAge, and the oldest files beyond the size limit. The newest job
// stays.
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
	slices.SortFunc(ended, func(a, b *entry) int { return a.Created.Compare(b.Created) })
	for i, e := range ended {
		old := time.Since(e.Finished) > MaxAge
		if !old && (sum <= b.opt.Bytes || i == len(ended)-1) {
			continue
		}
		sum -= e.Bytes
		if err := b.forget(e); err != nil {
			b.opt.Log.Warn("a job is not removed", "job", e.ID, "error", err)
		}
	}
}

// Path returns the path of a finished export's file, and its job.
func (b *Board) Path(id string) (string, Job, error) {
	j, err := b.Find(id)
	if err == nil && (j.State != Done || j.Kind != Export) {
		err = fault.New(fault.Invalid, "This export is not finished.")
	}
	return b.path(id), j, err
}

func (b *Board) path(id string) string { return filepath.Join(b.opt.Dir, id) }

// Refuse rejects new jobs and cancels all others.
func (b *Board) Refuse() {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.closed = true
	for _, list := range []map[string]*entry{b.all, b.running} {
		for _, e := range list {
			if e.cancel != nil {
				e.cancel()
			}
		}
	}
}

// Stop is Refuse, then waits for all goroutines.
func (b *Board) Stop() {
	b.Refuse()
	b.work.Wait()
}

func newID() string { return rand.Text()[:16] }
