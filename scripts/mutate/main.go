// Mutate changes a package on purpose, one operator or number at a time, and lists
// the changes that the tests do not notice.
//
//	go run ./scripts/mutate -n 40 ./internal/light/glow ./internal/render
//
// changes the first package 40 times, at places chosen by -seed, and runs the tests
// of all packages that are named until one fails. The sources stay as they are: the
// go command is given changed copies (-overlay).
//
// A survivor is a place where a mistake would not be found. Some are none, as the
// change makes nothing different that could be noticed: those that were looked at are
// listed in equivalent.txt beside this file, with the reason, and counted apart.
package main

import (
	"bytes"
	"context"
	"encoding/json"
	"flag"
	"fmt"
	"go/ast"
	"go/format"
	"go/parser"
	"go/token"
	"log"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strconv"
	"strings"
	"time"
)

// mutant is one change of one file.
type mutant struct {
	file string
	at   token.Position
	line string // of the source, trimmed
	what string
	code []byte
}

// swaps are the operators that stand in for each other.
var swaps = map[token.Token]token.Token{
	token.ADD: token.SUB, token.SUB: token.ADD, token.MUL: token.QUO, token.QUO: token.MUL,
	token.LSS: token.LEQ, token.LEQ: token.LSS, token.GTR: token.GEQ, token.GEQ: token.GTR,
	token.EQL: token.NEQ, token.NEQ: token.EQL, token.LAND: token.LOR, token.LOR: token.LAND,
	token.ADD_ASSIGN: token.SUB_ASSIGN, token.SUB_ASSIGN: token.ADD_ASSIGN,
	token.MUL_ASSIGN: token.QUO_ASSIGN, token.QUO_ASSIGN: token.MUL_ASSIGN,
	token.SHL: token.SHR, token.SHR: token.SHL,
}

func main() {
	log.SetFlags(0)
	n := flag.Int("n", 20, "how many changes; 0 for every possible one")
	seed := flag.Uint64("seed", 1, "of the choice of places")
	only := flag.String("file", "", "change only files whose name begins so")
	limit := flag.Duration("limit", 3*time.Minute, "for the tests of one change; a program that hangs is found out")
	flag.Parse()
	if flag.NArg() == 0 {
		log.Fatal("usage: mutate [flags] package-to-change [packages-to-test...]")
	}
	all, err := mutants(flag.Arg(0), *only)
	if err != nil {
		log.Fatal(err)
	}
	possible := len(all)
	r := rand.New(rand.NewPCG(*seed, 0))
	r.Shuffle(len(all), func(i, j int) { all[i], all[j] = all[j], all[i] })
	if *n > 0 && len(all) > *n {
		all = all[:*n]
	}
	dir, err := os.MkdirTemp("", "mutate-")
	if err != nil {
		log.Fatal(err)
	}
	defer os.RemoveAll(dir)
	known, err := equivalents()
	if err != nil {
		log.Fatal(err)
	}
	survived, tried, same := 0, 0, 0
	for _, m := range all {
		killed, built, err := try(dir, m, flag.Args(), *limit)
		if err != nil {
			log.Fatal(err)
		}
		if !built {
			continue
		}
		tried++
		if killed {
			continue
		}
		if why, ok := known[filepath.ToSlash(filepath.Clean(m.file))+"|"+m.line]; ok {
			same++
			fmt.Printf("%s:%d:%d: %s (the same: %s)\n", m.file, m.at.Line, m.at.Column, m.what, why)
			continue
		}
		survived++
		fmt.Printf("%s:%d:%d: %s\n", m.file, m.at.Line, m.at.Column, m.what)
	}
	fmt.Printf("%s: %d of %d changes survive, and %d that make nothing different (%d places)\n", flag.Arg(0), survived, tried-same, same, possible)
}

// equivalents reads the places that were looked at: file, line of code, reason.
func equivalents() (map[string]string, error) {
	b, err := os.ReadFile(filepath.Join("scripts", "mutate", "equivalent.txt"))
	if err != nil {
		return nil, err
	}
	out := map[string]string{}
	for _, l := range strings.Split(string(b), "\n") {
		if l == "" || strings.HasPrefix(l, "#") {
			continue
		}
		file, rest, _ := strings.Cut(l, " | ")
		i := strings.LastIndex(rest, " | ")
		if i < 0 {
			return nil, fmt.Errorf("equivalent.txt: %q", l)
		}
		out[file+"|"+rest[:i]] = rest[i+3:]
	}
	return out, nil
}

// try runs the tests of the packages under a change, one package after the other.
func try(dir string, m mutant, packages []string,
	limit time.Duration) (killed, built bool, err error) {
	name := filepath.Join(dir, "changed.go")
	if err := os.WriteFile(name, m.code, 0o600); err != nil {
		return false, false, err
	}
	abs, err := filepath.Abs(m.file)
	if err != nil {
		return false, false, err
	}
	overlay, err := json.Marshal(map[string]any{"Replace": map[string]string{abs: name}})
	if err != nil {
		return false, false, err
	}
	over := filepath.Join(dir, "overlay.json")
	if err := os.WriteFile(over, overlay, 0o600); err != nil {
		return false, false, err
	}
	if exec.Command("go", "build", "-overlay", over, "-o", os.DevNull, packages[0]).Run() != nil {
		return false, false, nil
	}
	for _, p := range packages {
		ctx, cancel := context.WithTimeout(context.Background(), limit)
		cmd := exec.CommandContext(ctx, "go", "test", "-failfast", "-vet=off", "-overlay", over, p)
		kill(cmd)
		out, err := cmd.CombinedOutput()
		cancel()
		if err != nil {
			if bytes.Contains(out, []byte("[build failed]")) {
				return false, false, nil
			}
			return true, true, nil
		}
	}
	return false, true, nil
}

// kill makes a command that is over its time end with all that it started.
func kill(cmd *exec.Cmd) {
	cmd.WaitDelay = 5 * time.Second
	if runtime.GOOS != "windows" {
		cmd.Cancel = func() error { return cmd.Process.Signal(os.Interrupt) }
	}
}

// mutants returns all changes of a package.
func mutants(dir, only string) (out []mutant, err error) {
	names, err := filepath.Glob(filepath.Join(dir, "*.go"))
	if err != nil {
		return nil, err
	}
	for _, name := range names {
		if strings.HasSuffix(name, "_test.go") || !strings.HasPrefix(filepath.Base(name), only) {
			continue
		}
		src, err := os.ReadFile(name)
		if err != nil {
			return nil, err
		}
		lines := strings.Split(string(src), "\n")
		fset := token.NewFileSet()
		f, err := parser.ParseFile(fset, name, src, parser.ParseComments)
		if err != nil {
			return nil, err
		}
		take := func(pos token.Pos, what string) {
			var b bytes.Buffer
			if err := format.Node(&b, fset, f); err == nil {
				at := fset.Position(pos)
				out = append(out, mutant{name, at, strings.TrimSpace(lines[at.Line-1]), what,
					b.Bytes()})
			}
		}
		ast.Inspect(f, func(n ast.Node) bool {
			switch n := n.(type) {
			case *ast.BinaryExpr:
				if to, ok := swaps[n.Op]; ok && !text(n.X) && !text(n.Y) {
					was := n.Op
					n.Op = to
					take(n.OpPos, fmt.Sprintf("%s for %s", to, was))
					n.Op = was
				}
			case *ast.AssignStmt:
				if to, ok := swaps[n.Tok]; ok && !text(n.Rhs[0]) {
					was := n.Tok
					n.Tok = to
					take(n.TokPos, fmt.Sprintf("%s for %s", to, was))
					n.Tok = was
				}
			case *ast.IfStmt:
				was := n.Cond
				n.Cond = &ast.UnaryExpr{Op: token.NOT, X: &ast.ParenExpr{X: was}}
				take(n.If, "the condition turned round")
				n.Cond = was
			case *ast.BasicLit:
				was := n.Value
				if n.Value = another(n); n.Value != was {
					take(n.ValuePos, n.Value+" for "+was)
				}
				n.Value = was
			}
			return true
		})
	}
	return out, nil
}

// text tells whether an operand is a text, which + joins.
func text(e ast.Expr) bool {
	l, ok := e.(*ast.BasicLit)
	return ok && l.Kind == token.STRING
}

// another returns a number near the one that is written.
func another(l *ast.BasicLit) string {
	switch l.Kind {
	case token.INT:
		if v, err := strconv.ParseInt(l.Value, 0, 64); err == nil {
			return strconv.FormatInt(v+1, 10)
		}
	case token.FLOAT:
		if v, err := strconv.ParseFloat(l.Value, 64); err == nil {
			if v == 0 {
				return "0.5"
			}
			return strconv.FormatFloat(v*1.25, 'g', -1, 64)
		}
	}
	return l.Value
}
