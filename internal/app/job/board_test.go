package job

import (
	"context"
	"errors"
	"io"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"
)

// memory keeps rows as a database does.
type memory struct {
	mu   sync.Mutex
	rows []Row
	full error
}

func (m *memory) SaveJob(_ context.Context, r Row) error {
	m.mu.Lock()
	defer m.mu.Unlock()
	if m.full != nil {
		return m.full
	}
	for i := range m.rows {
		if m.rows[i].ID == r.ID {
			m.rows[i] = r
			return nil
		}
	}
	m.rows = append(m.rows, r)
	return nil
}

func (m *memory) Jobs(context.Context) ([]Row, error) {
	m.mu.Lock()
	defer m.mu.Unlock()
	return append([]Row(nil), m.rows...), nil
}

func (m *memory) RemoveJob(_ context.Context, id string) error {
	m.mu.Lock()
	defer m.mu.Unlock()
	for i := range m.rows {
		if m.rows[i].ID == id {
			m.rows = append(m.rows[:i], m.rows[i+1:]...)
			return nil
		}
	}
	return nil
}

// bench is a board with all that a test looks at.
type bench struct {
	testing.TB
	*Board
	rows *memory
	dir  string
	mu   sync.Mutex
	told []Job
	// what the maker of exports waits for, and what it returns
	may  chan struct{}
	fail error
}

func begin(t *testing.T) *bench {
	b := &bench{TB: t, rows: &memory{}, dir: t.TempDir(), may: make(chan struct{}, 100)}
	b.open()
	return b
}

// open begins a board on the same rows and files, as after a restart.
func (b *bench) open() {
	b.Helper()
	board, err := New(Options{Dir: b.dir, Rows: b.rows, Explain: error.Error, Publish: func(j Job) {
		b.mu.Lock()
		defer b.mu.Unlock()
		b.told = append(b.told, j)
	}}, map[Kind]Maker{Export: b.make})
	if err != nil {
		b.Fatal(err)
	}
	b.Board = board
	b.Cleanup(board.Stop)
	b.Resume()
}

// make writes what was cancelAsked for, byte by byte.
func (b *bench) make(
	ctx context.Context,
	request []byte,
	w io.Writer,
	report Report,
) ([]string, error) {
	for i := range request {
		report("Writing", float64(i)/float64(len(request)))
		select {
		case <-b.may:
		case <-ctx.Done():
			return nil, ctx.Err()
		}
		if _, err := w.Write(request[i : i+1]); err != nil {
			return nil, err
		}
	}
	return []string{"a note"}, b.fail
}

// let lets so many bytes be written.
func (b *bench) let(n int) {
	for range n {
		b.may <- struct{}{}
	}
}

func (b *bench) export(request string) Job {
	b.Helper()
	j, err := b.Start(Job{Kind: Export, Subject: "shot", Title: "Export", File: "a.png", Size: 2},
		[]byte(request))
	if err != nil {
		b.Fatal(err)
	}
	return j
}

// is waits until a job is in a state, and returns it.
func (b *bench) is(id string, want State) Job {
	b.Helper()
	for deadline := time.Now().Add(10 * time.Second); ; time.Sleep(time.Millisecond) {
		j, err := b.Find(id)
		if err == nil && j.State == want {
			return j
		}
		if time.Now().After(deadline) {
			b.Fatalf("it is %v, %v; want %s", j, err, want)
		}
	}
}

// file returns what a job made.
func (b *bench) file(id string) string {
	b.Helper()
	path, _, err := b.Path(id)
	if err != nil {
		return err.Error()
	}
	data, err := os.ReadFile(path)
	if err != nil {
		b.Fatal(err)
	}
	return string(data)
}

func TestAnExport(t *testing.T) {
	b := begin(t)
	j := b.export("abc")
	b.is(j.ID, Working)
	if got := b.file(j.ID); !strings.Contains(got, "not finished") {
		t.Errorf("half-way its file is %q", got)
	}
	b.let(3)
	done := b.is(j.ID, Done)
	if done.Bytes != 3 || done.Share != 1 || len(done.Notes) != 1 || b.file(j.ID) != "abc" {
		t.Errorf("%+v, %q", done, b.file(j.ID))
	}
	b.mu.Lock()
	var states []string
	for _, j := range b.told {
		if n := len(states); n == 0 || states[n-1] != string(j.State) {
			states = append(states, string(j.State))
		}
	}
	b.mu.Unlock()
	if got := strings.Join(states, " "); got != "waiting working done" {
		t.Errorf("pages were told %s", got)
	}
	if err := b.Remove(j.ID); err != nil {
		t.Fatal(err)
	}
	b.mu.Lock()
	if last := b.told[len(b.told)-1]; !last.Removed {
		t.Errorf("pages were told last %v", last)
	}
	b.mu.Unlock()
	files, err := os.ReadDir(b.dir)
	if len(files) != 0 || len(b.rows.rows) != 0 || err != nil {
		t.Errorf("of a removed job are left %v, %v, %v", files, b.rows.rows, err)
	}
}

func TestCancelAndRetry(t *testing.T) {
	b := begin(t)
	first, second := b.export("ab"), b.export("cd")
	b.is(first.ID, Working)
	if j := b.is(second.ID, Waiting); j.Share != 0 {
		t.Errorf("it waits, yet has done %g", j.Share)
	}
	for _, id := range []string{first.ID, second.ID} {
		if j, err := b.Cancel(id); err != nil || j.State != Cancelled {
			t.Errorf("%v, %v", j, err)
		}
		b.is(id, Cancelled)
	}
	if _, err := b.Retry(second.ID); err != nil {
		t.Fatal(err)
	}
	b.let(2)
	b.is(second.ID, Done)
	if got := b.file(second.ID); got != "cd" {
		t.Errorf("done again it is %q", got)
	}
	b.fail = errors.New("no luck")
	if _, err := b.Retry(first.ID); err != nil {
		t.Fatal(err)
	}
	b.let(2)
	if j := b.is(first.ID, Failed); j.Problem != "no luck" {
		t.Errorf("it failed with %q", j.Problem)
	}
	if _, err := b.Cancel("none"); err != ErrGone {
		t.Errorf("of no job: %v", err)
	}
}

// What had not ended begins anew after a restart, whether Pyrant was told to stop or was killed;
// what had ended is as it was, and nothing of what was half-way is left.
func TestRestart(t *testing.T) {
	for _, killed := range []bool{false, true} {
		b := begin(t)
		b.let(1)
		done := b.export("x")
		b.is(done.ID, Done)
		gone := b.export("yy")
		b.is(gone.ID, Working)
		if _, err := b.Cancel(gone.ID); err != nil {
			t.Fatal(err)
		}
		b.is(gone.ID, Cancelled)
		half, waits := b.export("abc"), b.export("de")
		b.is(half.ID, Working)
		b.let(1)
		old := b.Board
		if killed {
			// Its rows and files are as they are; what it does from now on comes too late.
			rows := &memory{rows: append([]Row(nil), b.rows.rows...)}
			if err := os.WriteFile(filepath.Join(b.dir, ".half"), []byte("a"), 0o600); err != nil {
				t.Fatal(err)
			}
			old.opt.Rows, b.rows = nil, rows
		}
		old.Stop()
		for len(b.may) > 0 {
			<-b.may
		}
		b.open()
		b.let(5)
		b.is(half.ID, Done)
		b.is(waits.ID, Done)
		b.is(gone.ID, Cancelled)
		if got := b.file(done.ID) + b.file(half.ID) + b.file(waits.ID); got != "xabcde" {
			t.Errorf("killed %v: the files are %q", killed, got)
		}
		files, err := os.ReadDir(b.dir)
		if len(files) != 3 || err != nil {
			t.Errorf("killed %v: %d files, %v", killed, len(files), err)
		}
		// A file that somebody took away is said to be gone.
		if err := os.Remove(filepath.Join(b.dir, done.ID)); err != nil {
			t.Fatal(err)
		}
		b.Stop()
		b.open()
		if j := b.is(done.ID, Failed); !strings.Contains(j.Problem, "no longer there") {
			t.Errorf("killed %v: %q", killed, j.Problem)
		}
	}
}

// Files are bounded in bytes: the oldest give way, the newest stays however large it is.
func TestBounds(t *testing.T) {
	b := begin(t)
	b.opt.Bytes = 5
	var all []Job
	for _, what := range []string{"aa", "bb", "cc"} {
		b.let(2)
		all = append(all, b.export(what))
		b.is(all[len(all)-1].ID, Done)
	}
	b.Prune()
	if got := len(b.List()); got != 2 {
		t.Errorf("%d exports of 2 bytes are kept where 5 may be", got)
	}
	if _, err := b.Find(all[0].ID); err != ErrGone {
		t.Error("the oldest is still there")
	}
	b.let(9)
	large := b.export("123456789")
	b.is(large.ID, Done)
	b.Prune()
	if list := b.List(); len(list) != 1 || list[0].ID != large.ID {
		t.Errorf("with a large one there are %v", list)
	}
	b.mu.Lock()
	b.Board.mu.Lock()
	b.all[large.ID].Finished = time.Now().Add(-MaxAge - time.Minute)
	b.Board.mu.Unlock()
	b.mu.Unlock()
	b.Prune()
	if len(b.List()) != 0 {
		t.Error("what is too old is kept")
	}
	for range MaxOpen {
		b.export("a")
	}
	if _, err := b.Start(Job{Kind: Export, Subject: "shot"}, nil); err == nil ||
		!strings.Contains(err.Error(), "waiting already") {
		t.Errorf("one more than may wait: %v", err)
	}
	b.rows.full = errors.New("the disk is full")
	if _, err := b.Start(Job{Kind: "other"}, nil); err == nil {
		t.Error("a job that cannot be kept is taken on")
	}
}

// The time left is told by what was measured: of others of its kind before it begins, and of
// itself when it has gone on for a while.
func TestTimeLeft(t *testing.T) {
	b := begin(t)
	long := time.Now().Add(-10 * time.Second)
	b.measure(
		&Job{
			Kind:     Export,
			State:    Done,
			Size:     4,
			Started:  long,
			Finished: long.Add(8 * time.Second),
		},
	)
	e := &entry{Job: Job{Kind: Export, State: Waiting, Size: 3}}
	if got := b.remaining(e); got != 6 {
		t.Errorf("3 megapixels at 2 s each take %g s", got)
	}
	e.State, e.Started = Working, time.Now().Add(-time.Second)
	if got := b.remaining(e); got < 4.9 || got > 5 {
		t.Errorf("after a second of 6 there are %g s left", got)
	}
	e.Share = 0.25
	if got := b.remaining(e); got < 2.95 || got > 3.1 {
		t.Errorf("a quarter took a second, and the rest is told to take %g s", got)
	}
	unknown := &entry{Job: Job{Kind: Reading, State: Working, Started: long}}
	if got := b.remaining(unknown); got != 0 {
		t.Errorf("without measurements the estimate is %g s", got)
	}
}

// Work of a request is shown when it takes long, once for all that ask for the same, and can be
// cancelled by any page.
func TestRun(t *testing.T) {
	b := begin(t)
	ctx := context.Background()
	j := Job{Kind: Reading, Subject: "photo", Title: "Reading"}
	if err := b.Run(ctx, j, func(context.Context, Report) error { return nil }); err != nil {
		t.Fatal(err)
	}
	if len(b.told) != 0 {
		t.Errorf("of quick work pages are told %v", b.told)
	}
	ended := make(chan error, 2)
	wait := func(ctx context.Context, report Report) error {
		report("Reading the photo", 0.5)
		<-ctx.Done()
		return ctx.Err()
	}
	for range 2 {
		go func() { ended <- b.Run(ctx, j, wait) }()
	}
	for len(b.List()) == 0 {
		time.Sleep(time.Millisecond)
	}
	list := b.List()
	if len(list) != 1 || list[0].Share != 0.5 || list[0].Stage != "Reading the photo" {
		t.Fatalf("it is shown as %v", list)
	}
	if _, err := b.Cancel(list[0].ID); err != nil {
		t.Fatal(err)
	}
	if err := <-ended; err != ErrCancelled {
		t.Errorf("cancelled it ends with %v", err)
	}
	if len(b.List()) != 0 {
		t.Error("it is still shown")
	}
	b.mu.Lock()
	if last := b.told[len(b.told)-1]; last.State != Cancelled || !last.Removed {
		t.Errorf("pages were told last %v", last)
	}
	b.mu.Unlock()
}

// Work in the background is done once at a time for a subject; what failed stays on the board and
// can be done again.
func TestGo(t *testing.T) {
	b := begin(t)
	may := make(chan error)
	n := 0
	do := func(ctx context.Context, _ Report) error {
		n++
		select {
		case err := <-may:
			return err
		case <-ctx.Done():
			return ctx.Err()
		}
	}
	j := Job{Kind: Edges, Subject: "shot", Title: "Edges"}
	first, err := b.Go(j, do)
	if err != nil {
		t.Fatal(err)
	}
	if second, err := b.Go(j, do); err != nil || second.ID != first.ID {
		t.Errorf("the same work is begun twice: %v", err)
	}
	may <- errors.New("no luck")
	if failed := b.is(first.ID, Failed); failed.Problem != "no luck" {
		t.Errorf("%v", failed)
	}
	if _, err := b.Retry(first.ID); err != nil {
		t.Fatal(err)
	}
	may <- nil
	b.Stop()
	if n != 2 || len(b.List()) != 0 {
		t.Errorf("it ran %d times, and there is %v", n, b.List())
	}
	if _, err := b.Go(j, do); err != ErrStopping {
		t.Errorf("after the end: %v", err)
	}
	if _, err := b.Start(j, nil); err != ErrStopping {
		t.Errorf("an export after the end: %v", err)
	}
}

// A panic ends the job that it happens in, and nothing else.
func TestPanic(t *testing.T) {
	b := begin(t)
	b.makers[Export] = func(context.Context, []byte, io.Writer, Report) ([]string, error) {
		panic("a mistake")
	}
	j := b.export("a")
	if got := b.is(j.ID, Failed); !strings.Contains(got.Problem, "a mistake") {
		t.Errorf("%v", got)
	}
	g, err := b.Go(
		Job{Kind: Edges, Subject: "shot"},
		func(context.Context, Report) error { panic("another") },
	)
	if err != nil {
		t.Fatal(err)
	}
	b.is(g.ID, Failed)
}
