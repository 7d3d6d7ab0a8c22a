#include "textflag.h"

// Rows of pixels, eight at a time. Each does the operations of the Go in rows.go in the same order, and so gives the
// same bits.

DATA ·kramp+0(SB)/8, $0.0
DATA ·kramp+8(SB)/8, $1.0
DATA ·kramp+16(SB)/8, $2.0
DATA ·kramp+24(SB)/8, $3.0
GLOBL ·kramp(SB), RODATA|NOPTR, $32
DATA ·kfour+0(SB)/8, $4.0
GLOBL ·kfour(SB), RODATA|NOPTR, $8

// All bits for eight, and none after: from 32 - 4n on it is a mask of n.
DATA ·kmask+0(SB)/8, $-1
DATA ·kmask+8(SB)/8, $-1
DATA ·kmask+16(SB)/8, $-1
DATA ·kmask+24(SB)/8, $-1
DATA ·kmask+32(SB)/8, $0
DATA ·kmask+40(SB)/8, $0
DATA ·kmask+48(SB)/8, $0
DATA ·kmask+56(SB)/8, $0
GLOBL ·kmask(SB), RODATA|NOPTR, $64

// func read8(dst *float32, n, count, stride int, at *scan, a *along)
TEXT ·read8(SB), NOSPLIT, $0-48
	MOVQ dst+0(FP), DI
	MOVQ n+8(FP), CX
	MOVQ count+16(FP), R8
	MOVQ stride+24(FP), R9
	SHLQ $2, R9
	MOVQ at+32(FP), SI
	MOVQ a+40(FP), BX
	VBROADCASTSD 0(SI), Y0
	VADDPD       ·kramp(SB), Y0, Y0  // x of four pixels
	VBROADCASTSD 8(SI), Y1           // k
	VBROADCASTSD 16(SI), Y2          // left
	VBROADCASTSD 24(SI), Y3          // scale
	VPBROADCASTD 32(SI), Y4          // last
	VBROADCASTSD ·kfour(SB), Y5
	VPCMPEQD     Y15, Y15, Y15

readNext:
	CMPQ CX, $8
	JGE  readEight
	LEAQ ·kmask+32(SB), AX
	MOVQ CX, DX
	SHLQ $2, DX
	SUBQ DX, AX
	VMOVUPS (AX), Y15

readEight:
	VMULPD      Y1, Y0, Y6
	VSUBPD      Y2, Y6, Y6
	VMULPD      Y3, Y6, Y6
	VCVTTPD2DQY Y6, X8
	VPMINSD     X4, X8, X8
	VCVTDQ2PD   X8, Y9
	VSUBPD      Y9, Y6, Y6
	VCVTPD2PSY  Y6, X6
	VADDPD      Y5, Y0, Y0
	VMULPD      Y1, Y0, Y7
	VSUBPD      Y2, Y7, Y7
	VMULPD      Y3, Y7, Y7
	VCVTTPD2DQY Y7, X10
	VPMINSD     X4, X10, X10
	VCVTDQ2PD   X10, Y9
	VSUBPD      Y9, Y7, Y7
	VCVTPD2PSY  Y7, X7
	VADDPD      Y5, Y0, Y0
	VINSERTF128 $1, X7, Y6, Y6       // how far into its cell
	VINSERTI128 $1, X10, Y8, Y8      // which cell
	MOVQ        R8, DX
	MOVQ        BX, AX
	MOVQ        DI, R10

readNumber:
	VPERMPS    (AX), Y8, Y9
	VPERMPS    32(AX), Y8, Y10
	VMULPS     Y6, Y10, Y10
	VADDPS     Y10, Y9, Y9
	VMASKMOVPS Y9, Y15, (R10)
	ADDQ       $64, AX
	ADDQ       R9, R10
	DECQ       DX
	JNZ        readNumber
	ADDQ       $32, DI
	SUBQ       $8, CX
	JG         readNext
	VZEROUPPER
	RET

DATA ·kone+0(SB)/4, $1.0
GLOBL ·kone(SB), RODATA|NOPTR, $4
DATA ·ktwo+0(SB)/4, $2.0
GLOBL ·ktwo(SB), RODATA|NOPTR, $4
DATA ·khalf+0(SB)/4, $0.5
GLOBL ·khalf(SB), RODATA|NOPTR, $4
DATA ·kwide+0(SB)/4, $0.8
GLOBL ·kwide(SB), RODATA|NOPTR, $4
DATA ·kleft+0(SB)/4, $0.424
GLOBL ·kleft(SB), RODATA|NOPTR, $4
DATA ·ksoft+0(SB)/4, $0.18
GLOBL ·ksoft(SB), RODATA|NOPTR, $4
DATA ·ksmall+0(SB)/4, $1e-6
GLOBL ·ksmall(SB), RODATA|NOPTR, $4

// ON leaves in Y4 what on is of eight pixels, but where the sum is not above 0; Y7 has all bits where it is. Y0 to Y2 are the
// direction, Y3 is the sum, the normals are at BX and so many bytes on as R9 has; Y13 to Y15 are 0, a half and 1. It finds dot (Y4),
// straight (Y0), each (Y1) and k (Y2), the square of ε of wide light (Y5) and of narrow (Y6), takes the one that k asks for, less
// towards the middle, and makes the sum.
#define ON \
	VMULPS (BX), Y0, Y4; \
	VMULPS (BX)(R9*1), Y1, Y5; \
	VADDPS Y5, Y4, Y4; \
	VMULPS (BX)(R9*2), Y2, Y5; \
	VADDPS Y5, Y4, Y4; \
	VMULPS Y0, Y0, Y0; \
	VMULPS Y1, Y1, Y1; \
	VADDPS Y1, Y0, Y0; \
	VMULPS Y2, Y2, Y2; \
	VADDPS Y2, Y0, Y0; \
	VDIVPS Y3, Y15, Y1; \
	VSQRTPS Y0, Y2; \
	VMULPS Y1, Y2, Y2; \
	VMINPS Y2, Y15, Y2; \
	VSUBPS Y2, Y14, Y5; \
	VBROADCASTSS ·kwide(SB), Y6; \
	VMULPS Y6, Y5, Y5; \
	VBROADCASTSS ·kleft(SB), Y6; \
	VADDPS Y6, Y5, Y5; \
	VMULPS Y5, Y5, Y5; \
	VBROADCASTSS ·ktwo(SB), Y6; \
	VMULPS Y6, Y2, Y6; \
	VSUBPS Y15, Y6, Y6; \
	VMULPS Y6, Y6, Y6; \
	VSUBPS Y6, Y15, Y6; \
	VBROADCASTSS ·ksoft(SB), Y7; \
	VMULPS Y7, Y6, Y6; \
	VCMPPS $1, Y14, Y2, Y7; \
	VBLENDVPS Y7, Y5, Y6, Y5; \
	VMULPS Y4, Y4, Y6; \
	VDIVPS Y0, Y6, Y6; \
	VSUBPS Y6, Y15, Y6; \
	VMULPS Y5, Y6, Y6; \
	VMAXPS Y13, Y6, Y6; \
	VBROADCASTSS ·ksmall(SB), Y7; \
	VCMPPS $14, Y7, Y2, Y7; \
	VBLENDVPS Y7, Y6, Y5, Y5; \
	VMULPS Y1, Y4, Y4; \
	VMULPS Y4, Y4, Y6; \
	VADDPS Y5, Y6, Y6; \
	VSQRTPS Y6, Y6; \
	VADDPS Y6, Y4, Y4; \
	VMULPS Y3, Y4, Y4; \
	VMULPS Y14, Y4, Y4; \
	VCMPPS $14, Y13, Y3, Y7

// func on8(dst, v, normals *float32, stride, n int)
TEXT ·on8(SB), NOSPLIT, $0-40
	MOVQ dst+0(FP), DI
	MOVQ v+8(FP), SI
	MOVQ normals+16(FP), BX
	MOVQ stride+24(FP), R9
	SHLQ $2, R9
	LEAQ (R9)(R9*2), R10
	MOVQ n+32(FP), CX
	VBROADCASTSS ·kone(SB), Y15
	VBROADCASTSS ·khalf(SB), Y14
	VXORPS       Y13, Y13, Y13

onNext:
	VMOVUPS (SI), Y0
	VMOVUPS (SI)(R9*1), Y1
	VMOVUPS (SI)(R9*2), Y2
	VMOVUPS (SI)(R10*1), Y3
	ON
	VANDPS  Y7, Y4, Y4
	VMOVUPS Y4, (DI)
	ADDQ    $32, SI
	ADDQ    $32, BX
	ADDQ    $32, DI
	SUBQ    $8, CX
	JG      onNext
	VZEROUPPER
	RET

// SHARE leaves in Y4 by how much what comes of each colour to eight pixels is to be multiplied: six rows from a place on, of
// which the last three are left in Y8, Y9 and Y12.
#define SHARE(at) \
	VMOVUPS (at)(R10*1), Y8; \
	VMOVUPS (at)(R9*4), Y9; \
	VMOVUPS (at)(R11*1), Y12; \
	VADDPS Y9, Y8, Y3; \
	VADDPS Y12, Y3, Y3; \
	VMOVUPS (at), Y0; \
	VMOVUPS (at)(R9*1), Y1; \
	VMOVUPS (at)(R9*2), Y2; \
	ON; \
	VDIVPS Y3, Y4, Y4; \
	VANDPS Y7, Y4, Y4

// func onColours8(dst, v, normals *float32, stride, n int)
TEXT ·onColours8(SB), NOSPLIT, $0-40
	MOVQ dst+0(FP), DI
	MOVQ v+8(FP), SI
	MOVQ normals+16(FP), BX
	MOVQ stride+24(FP), R9
	SHLQ $2, R9
	LEAQ (R9)(R9*2), R10
	LEAQ (R9)(R9*4), R11
	LEAQ (SI)(R10*2), DX // of what comes from behind
	MOVQ n+32(FP), CX
	VBROADCASTSS ·kone(SB), Y15
	VBROADCASTSS ·khalf(SB), Y14
	VXORPS       Y13, Y13, Y13

coloursNext:
	SHARE(SI)
	VMULPS  Y4, Y8, Y10
	VMULPS  Y4, Y9, Y11
	VMULPS  Y4, Y12, Y12
	VMOVUPS Y12, (DI)(R9*2)
	SHARE(DX)
	VMULPS  Y4, Y8, Y8
	VADDPS  Y8, Y10, Y10
	VMULPS  Y4, Y9, Y9
	VADDPS  Y9, Y11, Y11
	VMULPS  Y4, Y12, Y12
	VADDPS  (DI)(R9*2), Y12, Y12
	VMOVUPS Y10, (DI)
	VMOVUPS Y11, (DI)(R9*1)
	VMOVUPS Y12, (DI)(R9*2)
	ADDQ    $32, SI
	ADDQ    $32, DX
	ADDQ    $32, BX
	ADDQ    $32, DI
	SUBQ    $8, CX
	JG      coloursNext
	VZEROUPPER
	RET

// Which pixels the samples of three channels are of, in each of the three eights of eight pixels.
DATA ·kfirst+0(SB)/8, $0x0000000000000000
DATA ·kfirst+8(SB)/8, $0x0000000100000000
DATA ·kfirst+16(SB)/8, $0x0000000100000001
DATA ·kfirst+24(SB)/8, $0x0000000200000002
GLOBL ·kfirst(SB), RODATA|NOPTR, $32
DATA ·ksecond+0(SB)/8, $0x0000000300000002
DATA ·ksecond+8(SB)/8, $0x0000000300000003
DATA ·ksecond+16(SB)/8, $0x0000000400000004
DATA ·ksecond+24(SB)/8, $0x0000000500000004
GLOBL ·ksecond(SB), RODATA|NOPTR, $32
DATA ·kthird+0(SB)/8, $0x0000000500000005
DATA ·kthird+8(SB)/8, $0x0000000600000006
DATA ·kthird+16(SB)/8, $0x0000000700000006
DATA ·kthird+24(SB)/8, $0x0000000700000007
GLOBL ·kthird(SB), RODATA|NOPTR, $32

// func add8(dst, w, e, b *float32, stride, n int, amount float32)
TEXT ·add8(SB), NOSPLIT, $0-52
	MOVQ dst+0(FP), DI
	MOVQ w+8(FP), SI
	MOVQ e+16(FP), R8
	MOVQ b+24(FP), BX
	MOVQ stride+32(FP), R9
	SHLQ $2, R9
	MOVQ n+40(FP), CX
	VBROADCASTSS amount+48(FP), Y15
	VMOVUPS ·kfirst(SB), Y12
	VMOVUPS ·ksecond(SB), Y13
	VMOVUPS ·kthird(SB), Y14

addNext:
	VMOVUPS (SI), Y0
	VMOVUPS (R8), Y1
	VMULPS  (BX), Y15, Y2
	VADDPS  Y2, Y1, Y2
	VMULPS  Y0, Y2, Y2
	VMULPS  (BX)(R9*1), Y15, Y3
	VADDPS  Y3, Y1, Y3
	VMULPS  Y0, Y3, Y3
	VMULPS  (BX)(R9*2), Y15, Y4
	VADDPS  Y4, Y1, Y4
	VMULPS  Y0, Y4, Y4
	VPERMPS Y2, Y12, Y5
	VPERMPS Y3, Y12, Y6
	VPERMPS Y4, Y12, Y7
	VBLENDPS $0x92, Y6, Y5, Y5
	VBLENDPS $0x24, Y7, Y5, Y5
	VADDPS  (DI), Y5, Y5
	VMOVUPS Y5, (DI)
	VPERMPS Y2, Y13, Y5
	VPERMPS Y3, Y13, Y6
	VPERMPS Y4, Y13, Y7
	VBLENDPS $0x24, Y6, Y5, Y5
	VBLENDPS $0x49, Y7, Y5, Y5
	VADDPS  32(DI), Y5, Y5
	VMOVUPS Y5, 32(DI)
	VPERMPS Y2, Y14, Y5
	VPERMPS Y3, Y14, Y6
	VPERMPS Y4, Y14, Y7
	VBLENDPS $0x49, Y6, Y5, Y5
	VBLENDPS $0x92, Y7, Y5, Y5
	VADDPS  64(DI), Y5, Y5
	VMOVUPS Y5, 64(DI)
	ADDQ    $32, SI
	ADDQ    $32, R8
	ADDQ    $32, BX
	ADDQ    $96, DI
	SUBQ    $8, CX
	JG      addNext
	VZEROUPPER
	RET

// func divide8(w, day, least *float32, n int, floor float32)
TEXT ·divide8(SB), NOSPLIT, $0-36
	MOVQ w+0(FP), DI
	MOVQ day+8(FP), SI
	MOVQ least+16(FP), BX
	MOVQ n+24(FP), CX
	VBROADCASTSS floor+32(FP), Y15

divideNext:
	VMAXPS  (SI), Y15, Y0
	VMAXPS  (BX), Y0, Y0
	VMOVUPS (DI), Y1
	VDIVPS  Y0, Y1, Y1
	VMOVUPS Y1, (DI)
	ADDQ    $32, SI
	ADDQ    $32, BX
	ADDQ    $32, DI
	SUBQ    $8, CX
	JG      divideNext
	VZEROUPPER
	RET
