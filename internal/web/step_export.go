package web

import (
	"pyrant/internal/export"
	"pyrant/internal/setting"
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
