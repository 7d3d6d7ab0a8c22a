#include "textflag.h"

// The expansion of a level, four samples and more at a time. Each does the operations of the Go in
// sum.go in the same order, and so gives the same bits.

DATA ·keighth+0(SB)/4, $0.125
DATA ·keighth+4(SB)/4, $0.125
DATA ·keighth+8(SB)/4, $0.125
DATA ·keighth+12(SB)/4, $0.125
GLOBL ·keighth(SB), RODATA|NOPTR, $16
DATA ·khalf+0(SB)/4, $0.5
DATA ·khalf+4(SB)/4, $0.5
DATA ·khalf+8(SB)/4, $0.5
DATA ·khalf+12(SB)/4, $0.5
GLOBL ·khalf(SB), RODATA|NOPTR, $16
DATA ·kmost+0(SB)/4, $0.75
DATA ·kmost+4(SB)/4, $0.75
DATA ·kmost+8(SB)/4, $0.75
DATA ·kmost+12(SB)/4, $0.75
GLOBL ·kmost(SB), RODATA|NOPTR, $16

// func expand3(dst, src *float32, n int)
TEXT ·expand3(SB), NOSPLIT, $0-24
	MOVQ   dst+0(FP), DI
	MOVQ   src+8(FP), SI
	MOVQ   n+16(FP), CX
	MOVUPS ·keighth(SB), X8
	MOVUPS ·khalf(SB), X9
	MOVUPS ·kmost(SB), X10
	MOVUPS -12(SI), X0          // l
	MOVUPS (SI), X1             // m

expand3Next:
	MOVUPS 12(SI), X2           // r
	ADDPS  X2, X0
	MULPS  X8, X0
	MOVAPS X1, X3
	MULPS  X10, X3
	ADDPS  X3, X0               // (l + r)/8 + 3m/4
	MOVUPS X0, (DI)
	MOVAPS X1, X0
	ADDPS  X2, X1
	MULPS  X9, X1               // (m + r)/2
	MOVUPS X1, 12(DI)
	MOVAPS X2, X1
	ADDQ   $12, SI
	ADDQ   $24, DI
	DECQ   CX
	JNZ    expand3Next
	RET

// func mean4(dst, q, r *float32, n int)
TEXT ·mean4(SB), NOSPLIT, $0-32
	MOVQ   dst+0(FP), DI
	MOVQ   q+8(FP), SI
	MOVQ   r+16(FP), DX
	MOVQ   n+24(FP), CX
	MOVUPS ·khalf(SB), X9

mean4Next:
	MOVUPS (SI), X0
	MOVUPS (DX), X1
	ADDPS  X1, X0
	MULPS  X9, X0
	MOVUPS X0, (DI)
	ADDQ   $16, SI
	ADDQ   $16, DX
	ADDQ   $16, DI
	SUBQ   $4, CX
	JG     mean4Next
	RET

// func mostly4(dst, p, q, r *float32, n int)
TEXT ·mostly4(SB), NOSPLIT, $0-40
	MOVQ   dst+0(FP), DI
	MOVQ   p+8(FP), BX
	MOVQ   q+16(FP), SI
	MOVQ   r+24(FP), DX
	MOVQ   n+32(FP), CX
	MOVUPS ·keighth(SB), X8
	MOVUPS ·kmost(SB), X10

mostly4Next:
	MOVUPS (BX), X0
	MOVUPS (DX), X1
	MOVUPS (SI), X2
	ADDPS  X1, X0
	MULPS  X8, X0
	MULPS  X10, X2
	ADDPS  X2, X0
	MOVUPS X0, (DI)
	ADDQ   $16, BX
	ADDQ   $16, SI
	ADDQ   $16, DX
	ADDQ   $16, DI
	SUBQ   $4, CX
	JG     mostly4Next
	RET
