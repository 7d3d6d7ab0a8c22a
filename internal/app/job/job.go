// Package job runs long tasks: exports, decoding photos, refining cut-outs, rendering thumbnails.
// A Job has a state, a progress, an estimate of the remaining time, and can be cancelled. A Board
// holds all jobs and publishes every change.
//
// Jobs that make a file are stored in Rows and survive a restart, after which they start again. All
// other jobs belong to a request, or to a page that asks for them again.
package job

import (
	"context"
	"io"
	"time"
)

// State is the stage of a job's life.
type State string

// The states.
const (
	Waiting   State = "waiting" // in the queue
	Working   State = "working"
	Done      State = "done"
	Failed    State = "failed"
	Cancelled State = "cancelled"
)

// Ended reports whether a job in this state has ended.
func (s State) Ended() bool { return s == Done || s == Failed || s == Cancelled }

// Kind is a kind of task.
type Kind string

// The kinds.
const (
	Export    Kind = "export"
	Reading   Kind = "reading"   // decoding a photo
	Ground    Kind = "ground"    // finding edges for the tracing tools
	Edges     Kind = "edges"     // refining cut-outs at full resolution
	Thumbnail Kind = "thumbnail" // of a shot
)

// Job is a snapshot of one task.
type Job struct {
	ID        string  `json:"id"`
	Kind      Kind    `json:"kind"`
	Subject   string  `json:"subject"`       // id of a shot, or SHA-256 of a photo
	For       string  `json:"for,omitempty"` // id that the requesting page chose
	Title     string  `json:"title"`         // such as "Export of Quay"
	State     State   `json:"state"`
	Stage     string  `json:"stage,omitempty"`     // such as "Rendering"
	Share     float64 `json:"share"`               // completed part, 0 to 1
	Remaining float64 `json:"remaining,omitempty"` // estimated seconds; 0 if unknown
	Size      float64 `json:"size,omitempty"`      // amount of work, such as megapixels; 0 if unknown
	Problem   string  `json:"problem,omitempty"`
	Removed   bool    `json:"removed,omitempty"` // no longer on the board

	File   string   `json:"file,omitempty"`   // name of the result
	Bytes  int64    `json:"bytes,omitempty"`  // size of the result
	Notes  []string `json:"notes,omitempty"`  // what the format could not hold
	Detail string   `json:"detail,omitempty"` // such as the size in pixels

	Created  time.Time `json:"created"`
	Started  time.Time `json:"started,omitzero"`
	Finished time.Time `json:"finished,omitzero"`
}

// Report publishes the current stage of a task and its completed part, from 0 to 1.
type Report func(stage string, share float64)

// Work is a task.
type Work func(ctx context.Context, report Report) error

// Maker writes the file of a stored job to w, from its request. It returns notes for the user.
type Maker func(ctx context.Context, request []byte, w io.Writer, report Report) (notes []string,
	err error)

// Row is a stored job: the job as JSON, and its request.
type Row struct {
	ID      string
	ShotID  string
	Job     []byte
	Request []byte
}

// Rows store jobs across restarts.
type Rows interface {
	SaveJob(ctx context.Context, r Row) error
	Jobs(ctx context.Context) ([]Row, error)
	RemoveJob(ctx context.Context, id string) error
}
