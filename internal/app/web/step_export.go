package web

import (
	"fmt"

	"pyrant/internal/app/export"
	"pyrant/internal/recipe/setting"
)

var exportStep = &step{ID: "export", Name: "Export"}

// ExportRows are the settings of an export, by name.
func (p *page) ExportRows() map[string]row {
	set := setting.New[export.Settings](p.frame())
	out := map[string]row{}
	for _, r := range rows(set, "", p.frame()) {
		out[r.Name] = r
	}
	return out
}

// Job is the export of the shot that was started last, nil for none.
func (p *page) Job() *jobView { return p.job() }

// FullSize is how large the picture is, cropped as it is.
func (p *page) FullSize() string {
	w, h := p.R.Size()
	return fmt.Sprintf("%d × %d", w, h)
}
