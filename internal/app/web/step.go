package web

import (
	"bytes"
	"html/template"

	"pyrant/internal/recipe"
)

// step is one stop of the rail. Its bench is the template "bench-" + ID in
// templates/step-ID.html. The rail, the keys and the tests read this list; a step
// is added by a file of its own and one line here.
type step struct {
	ID, Name string
	// Filled tells whether the shot has something there; nil for a step that never
	// has.
	Filled func(r *recipe.Recipe) bool
	// Hidden keeps it off the rail.
	Hidden bool
}

var steps = []*step{
	photoStep,
	duskStep,
	traceStep,
	glowStep,
	spillStep,
	finishStep,
	exportStep,
	historyStep,
}

// stepOf returns the step of an id, nil for none.
func stepOf(id string) *step {
	for _, s := range steps {
		if s.ID == id {
			return s
		}
	}
	return nil
}

// stop is a step as the rail shows it.
type stop struct {
	*step
	Full, Open bool
}

// Stops lists the rail.
func (p *page) Stops() []stop {
	var out []stop
	for _, s := range steps {
		if s.Hidden {
			continue
		}
		out = append(out, stop{s, s.Filled != nil && s.Filled(p.R), s.ID == p.Step})
	}
	return out
}

// StepName is the name of the open step.
func (p *page) StepName() string { return stepOf(p.Step).Name }

// Bench is the bench of the open step.
func (p *page) Bench() (template.HTML, error) {
	var b bytes.Buffer
	err := p.pages.ExecuteTemplate(&b, "bench-"+p.Step, p)
	return template.HTML(b.String()), err
}

// anyLight returns a step's Filled: whether any traced light has something.
func anyLight(has func(l *recipe.Light) bool) func(*recipe.Recipe) bool {
	return func(r *recipe.Recipe) bool {
		for i := range r.Lights {
			if l := &r.Lights[i]; len(l.Shapes) > 0 && has(l) {
				return true
			}
		}
		return false
	}
}
