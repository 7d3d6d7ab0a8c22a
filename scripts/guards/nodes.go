package main

import (
	"fmt"
	"go/ast"
	"go/token"
	"go/types"
	"path/filepath"
	"slices"

	"golang.org/x/tools/go/packages"
)

// A node of the graph (package graph) depends on its key alone. The compiler keeps most of that:
// Build is a method of the key and is given nothing else. What it does not see is refused here, in
// Build and in what it calls in its package: variables of packages that are written to, files, the
// clock and chance, which would be inputs that no key holds. And a key holds no pointer but an
// input of the graph, no function and no interface: what is behind those could change while the key
// stays equal.

// graphPath is the package of nodes.
const graphPath = module + "base/graph"

// forbidden are packages that a build may not use, or the functions of them that it may not; nil
// is all of a package.
var forbidden = map[string][]string{
	"io/fs": nil, "math/rand": nil, "net": nil, "net/http": nil, "os": nil, "os/exec": nil,
	"syscall":      nil,
	"math/rand/v2": {"Float32", "Float64", "Int", "IntN", "NormFloat64", "Perm", "Shuffle", "Uint64"},
	"time":         {"Now", "Since", "Until"},
}

// nodes returns what builders and keys of nodes hold or use that they must not.
func nodes(root string) (faults []string, err error) {
	list, err := packages.Load(&packages.Config{
		Dir: root,
		Mode: packages.NeedName | packages.NeedImports | packages.NeedSyntax |
			packages.NeedTypes | packages.NeedTypesInfo,
	}, "./internal/...")
	if err != nil {
		return nil, err
	}
	changing := map[string]bool{}
	for _, p := range list {
		if len(p.Errors) > 0 {
			return nil, p.Errors[0]
		}
		written(p, changing)
	}
	for _, p := range list {
		n := &nodeCheck{pkg: p, root: root, changing: changing,
			funcs: map[types.Object]*ast.FuncDecl{}}
		n.check()
		faults = append(faults, n.faults...)
	}
	slices.Sort(faults)
	return slices.Compact(faults), nil
}

type nodeCheck struct {
	pkg      *packages.Package
	root     string
	changing map[string]bool // variables of packages that are written to
	funcs    map[types.Object]*ast.FuncDecl
	faults   []string
}

// variable returns the name of a variable of a package, with the package's path; "" for what is
// none.
func variable(obj types.Object) string {
	v, ok := obj.(*types.Var)
	if !ok || v.Pkg() == nil || v.Parent() != v.Pkg().Scope() {
		return ""
	}
	return v.Pkg().Path() + "." + v.Name()
}

// written notes the variables of packages that a package assigns to, in whole or in part, or takes
// the address of. Their declarations do not count.
func written(p *packages.Package, to map[string]bool) {
	note := func(x ast.Expr) {
		for {
			switch e := x.(type) {
			case *ast.IndexExpr:
				x = e.X
			case *ast.StarExpr:
				x = e.X
			case *ast.ParenExpr:
				x = e.X
			case *ast.SelectorExpr:
				if v := variable(p.TypesInfo.Uses[e.Sel]); v != "" {
					to[v] = true
				}
				x = e.X
			case *ast.Ident:
				if v := variable(p.TypesInfo.Uses[e]); v != "" {
					to[v] = true
				}
				return
			default:
				return
			}
		}
	}
	for _, f := range p.Syntax {
		ast.Inspect(f, func(x ast.Node) bool {
			switch x := x.(type) {
			case *ast.AssignStmt:
				for _, l := range x.Lhs {
					note(l)
				}
			case *ast.IncDecStmt:
				note(x.X)
			case *ast.UnaryExpr:
				if x.Op == token.AND {
					note(x.X)
				}
			case *ast.RangeStmt:
				if x.Tok == token.ASSIGN {
					note(x.Key)
					note(x.Value)
				}
			}
			return true
		})
	}
}

func (n *nodeCheck) fault(at token.Pos, format string, args ...any) {
	pos := n.pkg.Fset.Position(at)
	if rel, err := filepath.Rel(n.root, pos.Filename); err == nil {
		pos.Filename = rel
	}
	n.faults = append(n.faults, fmt.Sprintf("%s: %s", pos, fmt.Sprintf(format, args...)))
}

// check looks at all builders of the package.
func (n *nodeCheck) check() {
	for _, f := range n.pkg.Syntax {
		for _, d := range f.Decls {
			if d, ok := d.(*ast.FuncDecl); ok {
				n.funcs[n.pkg.TypesInfo.Defs[d.Name]] = d
			}
		}
	}
	for obj, d := range n.funcs {
		f, ok := obj.(*types.Func)
		if !ok || f.Name() != "Build" {
			continue
		}
		sig := f.Signature()
		if sig.Recv() == nil || sig.Params().Len() != 2 ||
			!isPointerTo(sig.Params().At(1).Type(), "Graph") {
			continue
		}
		n.body(d, map[*ast.FuncDecl]bool{})
		n.holds(d.Name.Pos(), sig.Recv().Type(), types.TypeString(sig.Recv().Type(), nameOnly),
			map[types.Type]bool{})
	}
}

func nameOnly(*types.Package) string { return "" }

// isPointerTo reports whether t is a pointer to a type of package graph.
func isPointerTo(t types.Type, name string) bool {
	p, ok := types.Unalias(t).(*types.Pointer)
	if !ok {
		return false
	}
	elem, ok := types.Unalias(p.Elem()).(*types.Named)
	return ok && elem.Obj().Name() == name && elem.Obj().Pkg() != nil &&
		elem.Obj().Pkg().Path() == graphPath
}

// body looks at a function that a builder calls, and at what that calls in turn in its package.
func (n *nodeCheck) body(f *ast.FuncDecl, seen map[*ast.FuncDecl]bool) {
	if f == nil || f.Body == nil || seen[f] {
		return
	}
	seen[f] = true
	ast.Inspect(f.Body, func(x ast.Node) bool {
		id, ok := x.(*ast.Ident)
		if !ok {
			return true
		}
		switch obj := n.pkg.TypesInfo.Uses[id].(type) {
		case *types.Var:
			if n.changing[variable(obj)] {
				n.fault(id.Pos(), "The value of a node would depend on the variable %s, "+
					"which its key does not hold.", obj.Name())
			}
		case *types.Func:
			n.body(n.funcs[obj.Origin()], seen)
			if obj.Pkg() == nil {
				break
			}
			list, listed := forbidden[obj.Pkg().Path()]
			if listed && (list == nil || slices.Contains(list, obj.Name())) {
				n.fault(id.Pos(), "The value of a node would depend on %s.%s, "+
					"which its key does not hold.", obj.Pkg().Name(), obj.Name())
			}
		}
		return true
	})
}

// holds looks at a type that is part of a key.
func (n *nodeCheck) holds(at token.Pos, t types.Type, key string, seen map[types.Type]bool) {
	if isPointerTo(t, "Input") || isPointerTo(t, "Ref") || seen[t] {
		return
	}
	seen[t] = true
	what := ""
	switch u := t.Underlying().(type) {
	case *types.Struct:
		for i := range u.NumFields() {
			n.holds(at, u.Field(i).Type(), key, seen)
		}
	case *types.Array:
		n.holds(at, u.Elem(), key, seen)
	case *types.Pointer:
		what = "a pointer"
	case *types.Interface:
		what = "an interface"
	case *types.Signature:
		what = "a function"
	case *types.Chan:
		what = "a channel"
	}
	if what != "" {
		n.fault(at, "The key %s holds %s, %s: it could change while the key stays equal.",
			key, what, types.TypeString(t, nameOnly))
	}
}
