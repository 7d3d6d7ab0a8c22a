package colour

import "pyrant/internal/base/simd"

// ExpNeg returns e^(-x) for x >= 0, with an error of at most 1e-6 of its value up to 15. It ends at
// 0 from 16 up.
func ExpNeg(x float32) float32 { return simd.ExpNeg(x) }

// ExpNegRow puts e^(-x) in the place of each x, as ExpNeg gives it.
func ExpNegRow(x []float32) { simd.ExpNegRow(x) }

// SoftAdd joins light x >= 0 to p by exponential exposure: out = p + (1-p)·(1-exp(-x/(1-p))) for
// p < 1, and p from 1 up. It leaves p alone at x = 0, has slope 1 there, never passes 1, and so
// lets a strong colour whiten as film does.
func SoftAdd(p, x float32) float32 { return simd.SoftAdd(p, x) }

// SoftAddRow joins the light in x to the samples in p, each as SoftAdd does.
func SoftAddRow(p, x []float32) { simd.SoftAddRow(p, x) }
