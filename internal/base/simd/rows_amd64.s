#include "textflag.h"

// Rows of samples, four and more at a time. Each does the operations of the Go in rows.go, and so gives
// the same bits.

DATA ·keight+0(SB)/4, $8.0
DATA ·keight+4(SB)/4, $8.0
DATA ·keight+8(SB)/4, $8.0
DATA ·keight+12(SB)/4, $8.0
GLOBL ·keight(SB), RODATA|NOPTR, $16

// func add4(dst, src *float32, n int)
TEXT ·add4(SB), NOSPLIT, $0-24
	MOVQ dst+0(FP), DI
	MOVQ src+8(FP), SI
	MOVQ n+16(FP), CX
	CMPB ·eight(SB), $0
	JEQ  add4Next

add8Next:
	SUBQ    $8, CX
	JLT     add8End
	VMOVUPS (DI), Y1
	VADDPS  (SI), Y1, Y1
	VMOVUPS Y1, (DI)
	ADDQ    $32, SI
	ADDQ    $32, DI
	JMP     add8Next

add8End:
	VZEROUPPER
	ADDQ $8, CX
	JZ   add4End

add4Next:
	MOVUPS (SI), X0
	MOVUPS (DI), X1
	ADDPS  X0, X1
	MOVUPS X1, (DI)
	ADDQ   $16, SI
	ADDQ   $16, DI
	SUBQ   $4, CX
	JG   add4Next

add4End:
	RET

// func mul4(dst, src *float32, n int)
TEXT ·mul4(SB), NOSPLIT, $0-24
	MOVQ dst+0(FP), DI
	MOVQ src+8(FP), SI
	MOVQ n+16(FP), CX
	CMPB ·eight(SB), $0
	JEQ  mul4Next

mul8Next:
	SUBQ    $8, CX
	JLT     mul8End
	VMOVUPS (DI), Y1
	VMULPS  (SI), Y1, Y1
	VMOVUPS Y1, (DI)
	ADDQ    $32, SI
	ADDQ    $32, DI
	JMP     mul8Next

mul8End:
	VZEROUPPER
	ADDQ $8, CX
	JZ   mul4End

mul4Next:
	MOVUPS (SI), X0
	MOVUPS (DI), X1
	MULPS  X0, X1
	MOVUPS X1, (DI)
	ADDQ   $16, SI
	ADDQ   $16, DI
	SUBQ   $4, CX
	JG   mul4Next

mul4End:
	RET

// func colour4(dst, src *float32, n int, w *[3]float32)
TEXT ·colour4(SB), NOSPLIT, $0-32
	MOVQ   dst+0(FP), DI
	MOVQ   src+8(FP), SI
	MOVQ   n+16(FP), CX
	MOVQ   w+24(FP), BX
	MOVSS  (BX), X5
	MOVSS  4(BX), X6
	MOVSS  8(BX), X7
	UNPCKLPS X6, X5             // w0 w1 . .
	MOVLHPS X7, X5              // w0 w1 w2 .
	MOVAPS X5, X6
	MOVAPS X5, X7
	SHUFPS $0x49, X6, X6        // w1 w2 w0 w1
	SHUFPS $0x92, X7, X7        // w2 w0 w1 w2
	SHUFPS $0x24, X5, X5        // w0 w1 w2 w0
	MOVUPS ·keight(SB), X8

colour4Next:
	MOVUPS (SI), X0
	MOVAPS X0, X1
	MOVAPS X0, X2
	SHUFPS $0x40, X0, X0        // 0 0 0 1
	SHUFPS $0xA5, X1, X1        // 1 1 2 2
	SHUFPS $0xFE, X2, X2        // 2 3 3 3
	MULPS  X5, X0
	MULPS  X6, X1
	MULPS  X7, X2
	MINPS  X8, X0
	MINPS  X8, X1
	MINPS  X8, X2
	ADDPS  X8, X0
	ADDPS  X8, X1
	ADDPS  X8, X2
	SUBPS  X8, X0
	SUBPS  X8, X1
	SUBPS  X8, X2
	MOVUPS (DI), X3
	ADDPS  X3, X0
	MOVUPS X0, (DI)
	MOVUPS 16(DI), X3
	ADDPS  X3, X1
	MOVUPS X1, 16(DI)
	MOVUPS 32(DI), X3
	ADDPS  X3, X2
	MOVUPS X2, 32(DI)
	ADDQ   $16, SI
	ADDQ   $48, DI
	SUBQ   $4, CX
	JG     colour4Next
	RET

// func colours4(dst, src *float32, n int, w *[3]float32)
TEXT ·colours4(SB), NOSPLIT, $0-32
	MOVQ   dst+0(FP), DI
	MOVQ   src+8(FP), SI
	MOVQ   n+16(FP), CX
	MOVQ   w+24(FP), BX
	MOVSS  (BX), X5
	MOVSS  4(BX), X6
	MOVSS  8(BX), X7
	UNPCKLPS X6, X5             // w0 w1 . .
	MOVLHPS X7, X5              // w0 w1 w2 .
	MOVAPS X5, X6
	MOVAPS X5, X7
	SHUFPS $0x49, X6, X6        // w1 w2 w0 w1
	SHUFPS $0x92, X7, X7        // w2 w0 w1 w2
	SHUFPS $0x24, X5, X5        // w0 w1 w2 w0
	MOVUPS ·keight(SB), X8

colours4Next:
	MOVUPS (SI), X0
	MOVUPS 16(SI), X1
	MOVUPS 32(SI), X2
	MULPS  X5, X0
	MULPS  X6, X1
	MULPS  X7, X2
	MINPS  X8, X0
	MINPS  X8, X1
	MINPS  X8, X2
	ADDPS  X8, X0
	ADDPS  X8, X1
	ADDPS  X8, X2
	SUBPS  X8, X0
	SUBPS  X8, X1
	SUBPS  X8, X2
	MOVUPS (DI), X3
	ADDPS  X3, X0
	MOVUPS X0, (DI)
	MOVUPS 16(DI), X3
	ADDPS  X3, X1
	MOVUPS X1, 16(DI)
	MOVUPS 32(DI), X3
	ADDPS  X3, X2
	MOVUPS X2, 32(DI)
	ADDQ   $48, SI
	ADDQ   $48, DI
	SUBQ   $4, CX
	JG     colours4Next
	RET

// func cap4(dst *float32, n int, top float32)
TEXT ·cap4(SB), NOSPLIT, $0-20
	MOVQ   dst+0(FP), DI
	MOVQ   n+8(FP), CX
	MOVSS  top+16(FP), X1
	SHUFPS $0, X1, X1

cap4Next:
	MOVUPS (DI), X0
	MINPS  X1, X0
	MOVUPS X0, (DI)
	ADDQ   $16, DI
	SUBQ   $4, CX
	JG     cap4Next
	RET
