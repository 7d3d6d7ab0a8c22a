// Package job runs work that takes a while: exports, reading a photo, finding the edge of a
// cut-out, thumbnails. Each is a Job with a state, a progress, an estimate of the time left and a
// way to cancel it; a Board holds all of them and tells of every change.
//
// A job of a kind that makes a file is kept by the board's Rows: it survives a restart, which
// begins it anew. All others belong to a request or a page that asks for them again.
package job

import (
	"context"
	"io"
	"time"
)

// State is how far a job is.
type State string

// The states.
const (
	Waiting   State = "waiting" // for its turn
	Working   State = "working"
	Done      State = "done"
	Failed    State = "failed"
	Cancelled State = "cancelled"
)

// Ended tells whether a job in this state goes on no more.
func (s State) Ended() bool { return s == Done || s == Failed || s == Cancelled }

// Kind is what a job does.
type Kind string

// The kinds.
const (
	Export    Kind = "export"
	Reading   Kind = "reading"   // decoding a photo
	Ground    Kind = "ground"    // making a photo ready for tools that look for edges
	Edges     Kind = "edges"     // finding the edges of cut-outs on the photo itself
	Thumbnail Kind = "thumbnail" // of a shot
)

// Job is one piece of work, as it is at a moment.
type Job struct {
	ID      string  `json:"id"`
	Kind    Kind    `json:"kind"`
	Subject string  `json:"subject"`       // id of a shot; of a photo that is read, its sum
	For     string  `json:"for,omitempty"` // name that the page which asked for it gave it
	Title   string  `json:"title"`         // such as Export of Quay
	State   State   `json:"state"`
	Stage   string  `json:"stage,omitempty"` // what it does now, such as Rendering
	Share   float64 `json:"share"`           // of it that is done, from 0 to 1
	Left    float64 `json:"left,omitempty"`  // seconds, by what was measured; 0 where that is not known
	Size    float64 `json:"size,omitempty"`  // how much it is, such as megapixels, to estimate its time by
	Problem string  `json:"problem,omitempty"`
	Gone    bool    `json:"gone,omitempty"` // off the board: the last that is told of it

	File  string   `json:"file,omitempty"`  // name of what it made
	Bytes int64    `json:"bytes,omitempty"` // of that
	Notes []string `json:"notes,omitempty"` // what the user should know of it
	Says  string   `json:"says,omitempty"`  // more about what is made, such as its size in pixels

	Made  time.Time `json:"made"`
	Begun time.Time `json:"begun,omitzero"`
	Ended time.Time `json:"ended,omitzero"`
}

// Report is called by work to say what it does now, and how much of all of it is done.
type Report func(stage string, share float64)

// Work is what a job does.
type Work func(ctx context.Context, report Report) error

// Maker makes the file of a job that is kept, by what was asked for. It returns what the user
// should know of it.
type Maker func(ctx context.Context, request []byte, w io.Writer, report Report) (notes []string,
	err error)

// Row is a kept job: the job as JSON, and what was asked for.
type Row struct {
	ID      string
	ShotID  string
	Job     []byte
	Request []byte
}

// Rows keep jobs over a restart.
type Rows interface {
	SaveJob(ctx context.Context, r Row) error
	Jobs(ctx context.Context) ([]Row, error)
	RemoveJob(ctx context.Context, id string) error
}
