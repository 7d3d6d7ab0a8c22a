package main

import (
	"fmt"
	"strings"
)

const listFile = "docs/interface-words.md"

const head = `# Every text of the interface

Written by ` + "`go run ./scripts/strings`" + `: templates, settings, scripts, messages, the command line. "…" and
"%s" stand for what is put in. A test fails when a text is missing here. Read each new line against these rules:

- A label is a noun or a verb of the trade, at most three words, in sentence case. A button begins with a verb.
- One thing has one name everywhere, and one name means one thing.
- A hint has at most twelve words, in the imperative, with the gesture first.
- A message says what happened, what was kept, and what to do.
- Units follow the number; no full stop after a label; British spelling.
- Nothing is named after how the program does it.

`

// render writes the list as Markdown: a line for each text.
func render(texts []text) string {
	var b strings.Builder
	b.WriteString(head)
	for _, t := range texts {
		fmt.Fprintf(&b, "- %s — %s\n", escape(t.words), strings.Join(t.files, ", "))
	}
	return b.String()
}

// escape keeps Markdown from reading a text as marks.
func escape(s string) string {
	return strings.NewReplacer("`", "\\`", "*", "\\*", "<", "&lt;").Replace(s)
}

// difference returns the texts that a list lacks, and the lines of it that no text has.
func difference(texts []text, list string) (missing, stale []string) {
	has := map[string]bool{}
	for line := range strings.Lines(list) {
		if line = strings.TrimSpace(line); strings.HasPrefix(line, "- ") &&
			strings.Contains(line, " — ") {
			has[line] = false
		}
	}
	for _, t := range texts {
		line := strings.TrimSpace(
			fmt.Sprintf("- %s — %s", escape(t.words), strings.Join(t.files, ", ")),
		)
		if _, ok := has[line]; !ok {
			missing = append(missing, t.words)
		}
		has[line] = true
	}
	for line, used := range has {
		if !used {
			stale = append(stale, line)
		}
	}
	return missing, stale
}
