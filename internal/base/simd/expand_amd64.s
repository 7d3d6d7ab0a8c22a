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

// Where the samples of two columns, and those between, come to lie among the twelve that they make.
DATA ·kon+0(SB)/4, $0
DATA ·kon+4(SB)/4, $1
DATA ·kon+8(SB)/4, $2
DATA ·kon+12(SB)/4, $0
DATA ·kon+16(SB)/4, $0
DATA ·kon+20(SB)/4, $0
DATA ·kon+24(SB)/4, $3
DATA ·kon+28(SB)/4, $4
GLOBL ·kon(SB), RODATA|NOPTR, $32
DATA ·kbetween+0(SB)/4, $0
DATA ·kbetween+4(SB)/4, $0
DATA ·kbetween+8(SB)/4, $0
DATA ·kbetween+12(SB)/4, $0
DATA ·kbetween+16(SB)/4, $1
DATA ·kbetween+20(SB)/4, $2
DATA ·kbetween+24(SB)/4, $0
DATA ·kbetween+28(SB)/4, $0
GLOBL ·kbetween(SB), RODATA|NOPTR, $32
DATA ·kon2+0(SB)/4, $5
DATA ·kon2+4(SB)/4, $0
DATA ·kon2+8(SB)/4, $0
DATA ·kon2+12(SB)/4, $0
DATA ·kon2+16(SB)/4, $0
DATA ·kon2+20(SB)/4, $0
DATA ·kon2+24(SB)/4, $0
DATA ·kon2+28(SB)/4, $0
GLOBL ·kon2(SB), RODATA|NOPTR, $32
DATA ·kbetween2+0(SB)/4, $0
DATA ·kbetween2+4(SB)/4, $3
DATA ·kbetween2+8(SB)/4, $4
DATA ·kbetween2+12(SB)/4, $5
DATA ·kbetween2+16(SB)/4, $0
DATA ·kbetween2+20(SB)/4, $0
DATA ·kbetween2+24(SB)/4, $0
DATA ·kbetween2+28(SB)/4, $0
GLOBL ·kbetween2(SB), RODATA|NOPTR, $32

// func expand3(dst, src *float32, n int)
TEXT ·expand3(SB), NOSPLIT, $0-24
	MOVQ   dst+0(FP), DI
	MOVQ   src+8(FP), SI
	MOVQ   n+16(FP), CX
	CMPB   ·eight(SB), $0
	JEQ    expand3Few
	VBROADCASTSS ·keighth(SB), Y8
	VBROADCASTSS ·khalf(SB), Y9
	VBROADCASTSS ·kmost(SB), Y10
	VMOVUPS ·kon(SB), Y11
	VMOVUPS ·kbetween(SB), Y12
	VMOVUPS ·kon2(SB), Y13
	VMOVUPS ·kbetween2(SB), Y14

expand3Two: // columns; of the last two a sample too many would be read
	CMPQ    CX, $3
	JLT     expand3Rest
	VMOVUPS (SI), Y1            // m
	VMOVUPS 12(SI), Y2          // r
	VADDPS  -12(SI), Y2, Y0
	VMULPS  Y8, Y0, Y0
	VMULPS  Y10, Y1, Y3
	VADDPS  Y3, Y0, Y0          // (l + r)/8 + 3m/4
	VADDPS  Y2, Y1, Y1
	VMULPS  Y9, Y1, Y1          // (m + r)/2
	VPERMPS Y0, Y11, Y4
	VPERMPS Y1, Y12, Y5
	VBLENDPS $0x38, Y5, Y4, Y4
	VMOVUPS Y4, (DI)
	VPERMPS Y0, Y13, Y4
	VPERMPS Y1, Y14, Y5
	VBLENDPS $0x0E, Y5, Y4, Y4
	VMOVUPS X4, 32(DI)
	ADDQ    $24, SI
	ADDQ    $48, DI
	SUBQ    $2, CX
	JMP     expand3Two

expand3Rest:
	VZEROUPPER

expand3Few:
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
	CMPB   ·eight(SB), $0
	JEQ    mean4Few
	VBROADCASTSS ·khalf(SB), Y9

mean8Next:
	SUBQ    $8, CX
	JLT     mean8End
	VMOVUPS (DX), Y1
	VADDPS  (SI), Y1, Y1
	VMULPS  Y9, Y1, Y1
	VMOVUPS Y1, (DI)
	ADDQ    $32, SI
	ADDQ    $32, DX
	ADDQ    $32, DI
	JMP     mean8Next

mean8End:
	VZEROUPPER
	ADDQ $8, CX
	JZ   mean4End

mean4Few:
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

mean4End:
	RET

// func mostly4(dst, p, q, r *float32, n int)
TEXT ·mostly4(SB), NOSPLIT, $0-40
	MOVQ   dst+0(FP), DI
	MOVQ   p+8(FP), BX
	MOVQ   q+16(FP), SI
	MOVQ   r+24(FP), DX
	MOVQ   n+32(FP), CX
	CMPB   ·eight(SB), $0
	JEQ    mostly4Few
	VBROADCASTSS ·keighth(SB), Y8
	VBROADCASTSS ·kmost(SB), Y10

mostly8Next:
	SUBQ    $8, CX
	JLT     mostly8End
	VMOVUPS (BX), Y0
	VADDPS  (DX), Y0, Y0
	VMULPS  Y8, Y0, Y0
	VMULPS  (SI), Y10, Y2
	VADDPS  Y2, Y0, Y0
	VMOVUPS Y0, (DI)
	ADDQ    $32, BX
	ADDQ    $32, SI
	ADDQ    $32, DX
	ADDQ    $32, DI
	JMP     mostly8Next

mostly8End:
	VZEROUPPER
	ADDQ $8, CX
	JZ   mostly4End

mostly4Few:
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

mostly4End:
	RET
