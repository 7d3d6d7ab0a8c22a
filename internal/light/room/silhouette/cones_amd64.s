#include "textflag.h"

// Eight ways at a time. Each does the operations of the Go in ways.go in the same order, and so gives the same bits.

DATA ·keye+0(SB)/4, $0.001
GLOBL ·keye(SB), RODATA|NOPTR, $4
DATA ·kbold+0(SB)/4, $0.85
GLOBL ·kbold(SB), RODATA|NOPTR, $4
DATA ·kcone+0(SB)/4, $0.55
GLOBL ·kcone(SB), RODATA|NOPTR, $4
DATA ·kone+0(SB)/4, $1.0
GLOBL ·kone(SB), RODATA|NOPTR, $4
DATA ·kless+0(SB)/4, $-1.0
GLOBL ·kless(SB), RODATA|NOPTR, $4
DATA ·ksign+0(SB)/4, $0x80000000
GLOBL ·ksign(SB), RODATA|NOPTR, $4

// Which ways of SI touch the ball BX, as a mask in Y7, with the larger radius of each in Y6, the square of their
// length in Y3, how far they go in Y0 to Y2, and the share of it that counts in Y11.
#define TOUCH \
	VMOVUPS      96(SI), Y0        \
	VMOVUPS      128(SI), Y1       \
	VMOVUPS      160(SI), Y2       \
	VBROADCASTSS 0(BX), Y8         \
	VBROADCASTSS 4(BX), Y9         \
	VBROADCASTSS 8(BX), Y10        \
	VSUBPS       0(SI), Y8, Y8     \
	VSUBPS       32(SI), Y9, Y9    \
	VSUBPS       64(SI), Y10, Y10  \
	VMULPS       Y0, Y0, Y3        \
	VMULPS       Y1, Y1, Y4        \
	VADDPS       Y4, Y3, Y3        \
	VMULPS       Y2, Y2, Y4        \
	VADDPS       Y4, Y3, Y3        \
	VMULPS       Y0, Y8, Y4        \
	VMULPS       Y1, Y9, Y5        \
	VADDPS       Y5, Y4, Y4        \
	VMULPS       Y2, Y10, Y5       \
	VADDPS       Y5, Y4, Y4        \
	VDIVPS       Y3, Y4, Y4        \
	VXORPS       Y15, Y15, Y15     \
	VMAXPS       Y15, Y4, Y4       \
	VBROADCASTSS ·kone(SB), Y14    \
	VMINPS       Y14, Y4, Y4       \
	VMULPS       Y4, Y0, Y5        \
	VSUBPS       Y5, Y8, Y8        \
	VMULPS       Y4, Y1, Y5        \
	VSUBPS       Y5, Y9, Y9        \
	VMULPS       Y4, Y2, Y5        \
	VSUBPS       Y5, Y10, Y10      \
	VMULPS       Y8, Y8, Y8        \
	VMULPS       Y9, Y9, Y9        \
	VADDPS       Y9, Y8, Y8        \
	VMULPS       Y10, Y10, Y10     \
	VADDPS       Y10, Y8, Y8       \
	VMOVUPS      192(SI), Y6       \
	VMAXPS       224(SI), Y6, Y6   \
	VBROADCASTSS 12(BX), Y9        \
	VADDPS       Y6, Y9, Y9        \
	VMULPS       Y9, Y9, Y9        \
	VCMPPS       $2, Y9, Y8, Y7    \
	VMOVUPS      256(SI), Y11      \
	VCMPPS       $14, Y15, Y11, Y8 \
	VANDPS       Y8, Y7, Y7

// The product of the vector at off from BASE and that of which eight are at at in SI, or in Y0 to Y2, to TO.
#define BEGINS(off, BASE, TO) \
	VBROADCASTSS 0+off(BASE), TO   \
	VMULPS       0(SI), TO, TO     \
	VBROADCASTSS 4+off(BASE), Y9   \
	VMULPS       32(SI), Y9, Y9    \
	VADDPS       Y9, TO, TO        \
	VBROADCASTSS 8+off(BASE), Y9   \
	VMULPS       64(SI), Y9, Y9    \
	VADDPS       Y9, TO, TO

#define GOES(off, BASE, TO) \
	VBROADCASTSS 0+off(BASE), TO   \
	VMULPS       Y0, TO, TO        \
	VBROADCASTSS 4+off(BASE), Y9   \
	VMULPS       Y1, Y9, Y9        \
	VADDPS       Y9, TO, TO        \
	VBROADCASTSS 8+off(BASE), Y9   \
	VMULPS       Y2, Y9, Y9        \
	VADDPS       Y9, TO, TO

// func near8(e *eight, b *ball) int32
TEXT ·near8(SB), NOSPLIT, $0-20
	MOVQ e+0(FP), SI
	MOVQ b+8(FP), BX
	TOUCH
	VMOVMSKPS Y7, AX
	MOVL AX, ret+16(FP)
	VZEROUPPER
	RET

// func meet8(e *eight, b *bounds, m *met) int32
TEXT ·meet8(SB), NOSPLIT, $0-28
	MOVQ e+0(FP), SI
	MOVQ b+8(FP), BX
	MOVQ m+16(FP), DI
	TOUCH
	VMOVMSKPS Y7, AX
	TESTL     AX, AX
	JZ        meetNone
	VSQRTPS   Y3, Y3
	VDIVPS    Y3, Y14, Y3           // 1 by the length
	VMOVUPS   Y3, 128(DI)
	VBROADCASTSS 40(BX), Y4
	VMULPS    Y3, Y4, Y4            // t0; t1 is in Y11
	VBROADCASTSS ·ksign(SB), Y13
	// between two planes as far from the card as the body is thick
	BEGINS(20, BX, Y10)
	VBROADCASTSS 32(BX), Y9
	VSUBPS    Y9, Y10, Y10          // side
	GOES(20, BX, Y8)                // dw
	VBROADCASTSS 36(BX), Y9
	VMULPS    Y9, Y10, Y12
	VMOVUPS   Y12, 64(DI)
	VMULPS    Y9, Y8, Y12
	VMOVUPS   Y12, 96(DI)
	VBROADCASTSS 16(BX), Y9
	VADDPS    Y6, Y9, Y9            // tall
	VADDPS    Y10, Y9, Y12
	VXORPS    Y13, Y12, Y12
	VDIVPS    Y8, Y12, Y12
	VSUBPS    Y10, Y9, Y9
	VDIVPS    Y8, Y9, Y9
	VMINPS    Y9, Y12, Y10
	VMAXPS    Y9, Y12, Y12
	VMAXPS    Y4, Y10, Y4
	VMINPS    Y11, Y12, Y11
	// between the rays that the shape covers
	VBROADCASTSS 44(BX), Y9
	VADDPS    Y9, Y6, Y6            // beside
	MOVL      48(BX), CX
	LEAQ      52(BX), DX
	TESTL     CX, CX
	JZ        meetEnd

meetSide:
	GOES(0, DX, Y8)
	BEGINS(0, DX, Y12)
	VADDPS    Y6, Y12, Y12
	VXORPS    Y13, Y12, Y12
	VDIVPS    Y8, Y12, Y9
	VCMPPS    $13, Y15, Y8, Y10     // inwards
	VMAXPS    Y4, Y9, Y12
	VBLENDVPS Y10, Y12, Y4, Y4
	VMINPS    Y11, Y9, Y12
	VBLENDVPS Y10, Y11, Y12, Y11
	ADDQ      $12, DX
	DECL      CX
	JNZ       meetSide

meetEnd:
	VMOVUPS   Y4, 0(DI)
	VMOVUPS   Y11, 32(DI)
	VCMPPS    $1, Y11, Y4, Y8       // t0 < t1
	VANDPS    Y8, Y7, Y7
	VMOVMSKPS Y7, AX

meetNone:
	MOVL AX, ret+24(FP)
	VZEROUPPER
	RET

// Of one way: what is known of its place between four cells, at from on, is left at to. BX are the cells, DX those of
// the row below.
#define BETWEEN(at, fx, fy, to) \
	MOVL         at(SP), AX        \
	VMOVUPS      (BX)(AX*1), Y8    \
	VMOVUPS      (DX)(AX*1), Y9    \
	VSUBPS       Y8, Y9, Y9        \
	VBROADCASTSS fy(SP), Y10       \
	VMULPS       Y10, Y9, Y9       \
	VADDPS       Y9, Y8, Y8        \
	VEXTRACTF128 $1, Y8, X9        \
	VSUBPS       X8, X9, X9        \
	VBROADCASTSS fx(SP), X10       \
	VMULPS       X10, X9, X9       \
	VADDPS       X9, X8, X8        \
	VMOVUPS      X8, to(SP)

// Each eight has 288 bytes of the stack from S on: the first byte of each way's cells, fx and fy from 0, 32 and 64 on; at 96
// what is between, of 16 bytes each; at 224 which still go, at 256 what is beyond the grid. G is where it is in each row of
// the fan.

// Where the ways are: the depth, and which lie before the camera; then their cells, and how far between them.
#define PLACE(G, S) \
	VMOVUPS      640+G(DI), Y0      \
	VMULPS       320+G(DI), Y0, Y1  \
	VADDPS       128+G(DI), Y1, Y1  \
	VBROADCASTSS ·keye(SB), Y2      \
	VCMPPS       $13, Y2, Y1, Y3    \
	VANDPS       224+S(SP), Y3, Y3  \
	VMOVUPS      Y3, 224+S(SP)      \
	VMAXPS       Y2, Y1, Y1         \
	VBROADCASTSS 0(SI), Y2          \
	VDIVPS       Y1, Y2, Y2         \
	VMULPS       192+G(DI), Y0, Y3  \
	VADDPS       0+G(DI), Y3, Y3    \
	VMULPS       Y2, Y3, Y3         \
	VBROADCASTSS 4(SI), Y5          \
	VADDPS       Y5, Y3, Y3         \
	VMULPS       256+G(DI), Y0, Y4  \
	VADDPS       64+G(DI), Y4, Y4   \
	VMULPS       Y2, Y4, Y4         \
	VBROADCASTSS 8(SI), Y5          \
	VADDPS       Y5, Y4, Y4         \
	VXORPS       Y7, Y7, Y7         \
	VMAXPS       Y7, Y3, Y5         \
	VBROADCASTSS 12(SI), Y8         \
	VMINPS       Y8, Y5, Y5         \
	VMAXPS       Y7, Y4, Y6         \
	VBROADCASTSS 16(SI), Y8         \
	VMINPS       Y8, Y6, Y6         \
	VSUBPS       Y5, Y3, Y3         \
	VMULPS       Y3, Y3, Y3         \
	VSUBPS       Y6, Y4, Y4         \
	VMULPS       Y4, Y4, Y4         \
	VADDPS       Y4, Y3, Y3         \
	VMOVUPS      Y3, 256+S(SP)      \
	VCVTTPS2DQ   Y5, Y7             \
	VCVTDQ2PS    Y7, Y8             \
	VSUBPS       Y8, Y5, Y5         \
	VMOVUPS      Y5, 32+S(SP)       \
	VCVTTPS2DQ   Y6, Y9             \
	VCVTDQ2PS    Y9, Y8             \
	VSUBPS       Y8, Y6, Y6         \
	VMOVUPS      Y6, 64+S(SP)       \
	VPBROADCASTD 28(SI), Y8         \
	VPMULLD      Y8, Y9, Y9         \
	VPADDD       Y7, Y9, Y9         \
	VPSLLD       $4, Y9, Y9         \
	VMOVDQU      Y9, 0+S(SP)

#define KNOWN(S) \
	BETWEEN(0+S, 32+S, 64+S, 96+S)    \
	BETWEEN(4+S, 36+S, 68+S, 112+S)   \
	BETWEEN(8+S, 40+S, 72+S, 128+S)   \
	BETWEEN(12+S, 44+S, 76+S, 144+S)  \
	BETWEEN(16+S, 48+S, 80+S, 160+S)  \
	BETWEEN(20+S, 52+S, 84+S, 176+S)  \
	BETWEEN(24+S, 56+S, 88+S, 192+S)  \
	BETWEEN(28+S, 60+S, 92+S, 208+S)

// What is known, by number instead of by way: h2, ball and out in Y1 to Y3, and Y0 and Y15 what t and worst are. Then
// how far from the card, squared, in Y4.
#define SORTED(G, S) \
	VMOVUPS      640+G(DI), Y0            \
	VMOVUPS      832+G(DI), Y15           \
	VMOVUPS      96+S(SP), X1             \
	VINSERTF128  $1, 160+S(SP), Y1, Y1    \
	VMOVUPS      112+S(SP), X2            \
	VINSERTF128  $1, 176+S(SP), Y2, Y2    \
	VMOVUPS      128+S(SP), X3            \
	VINSERTF128  $1, 192+S(SP), Y3, Y3    \
	VMOVUPS      144+S(SP), X4            \
	VINSERTF128  $1, 208+S(SP), Y4, Y4    \
	VUNPCKLPS    Y2, Y1, Y5               \
	VUNPCKLPS    Y4, Y3, Y6               \
	VUNPCKHPS    Y2, Y1, Y7               \
	VUNPCKHPS    Y4, Y3, Y8               \
	VUNPCKLPD    Y6, Y5, Y1               \
	VUNPCKHPD    Y6, Y5, Y2               \
	VUNPCKLPD    Y8, Y7, Y3               \
	VMULPS       448+G(DI), Y0, Y4        \
	VADDPS       384+G(DI), Y4, Y4        \
	VBROADCASTSS ·ksign(SB), Y5           \
	VXORPS       Y4, Y5, Y6               \
	VBROADCASTSS 32(SI), Y7               \
	VANDPS       Y7, Y6, Y6               \
	VMAXPS       Y6, Y4, Y4               \
	VMULPS       Y4, Y4, Y4

// How far the way is clear, in Y1; what is not beyond the grid adds 0.
#define CLEAR(S) \
	VMOVUPS      256+S(SP), Y6            \
	VXORPS       Y7, Y7, Y7               \
	VCMPPS       $14, Y7, Y6, Y8          \
	VMINPS       Y7, Y1, Y9               \
	VSUBPS       Y6, Y9, Y9               \
	VBLENDVPS    Y8, Y9, Y1, Y1           \
	VSQRTPS      Y6, Y6                   \
	VADDPS       Y6, Y3, Y3               \
	VMULPS       Y2, Y2, Y9               \
	VSUBPS       Y1, Y9, Y1               \
	VADDPS       Y4, Y1, Y1               \
	VMAXPS       Y7, Y1, Y1               \
	VSQRTPS      Y1, Y1                   \
	VSUBPS       Y2, Y1, Y1               \
	VMULPS       Y3, Y3, Y6               \
	VADDPS       Y4, Y6, Y6               \
	VSQRTPS      Y6, Y6                   \
	VMINPS       Y1, Y6, Y6               \
	VCMPPS       $14, Y7, Y3, Y8          \
	VBLENDVPS    Y8, Y6, Y1, Y1           \
	VBROADCASTSS 20(SI), Y2               \
	VMULPS       Y2, Y1, Y1

// How deep they come by a cone in Y2, how far nothing comes deeper, in Y9, and which go on, in Y4; then the step. N is where on
// the stack it is noted which have been outside.
#define STEP(G, S, N) \
	VMULPS       576+G(DI), Y0, Y2        \
	VADDPS       512+G(DI), Y2, Y2        \
	VXORPS       Y5, Y1, Y3               \
	VDIVPS       Y2, Y3, Y3               \
	VMAXPS       Y15, Y3, Y3              \
	VMOVUPS      224+S(SP), Y4            \
	VCMPPS       $14, Y7, Y1, Y8          \
	VORPS        N(SP), Y8, Y8            \
	VMOVUPS      Y8, N(SP)                \
	VANDPS       Y4, Y8, Y8               \
	VBLENDVPS    Y8, Y3, Y15, Y15         \
	VMOVUPS      Y15, 832+G(DI)           \
	VMULPS       Y2, Y15, Y9              \
	VADDPS       Y9, Y1, Y9               \
	VMAXPS       Y7, Y9, Y9               \
	VBROADCASTSS ·kbold(SB), Y3           \
	VMULPS       Y3, Y9, Y9               \
	VMULPS       768+G(DI), Y9, Y10       \
	VMOVUPS      704+G(DI), Y8            \
	VSUBPS       Y0, Y8, Y11              \
	VCMPPS       $1, Y11, Y10, Y7         \
	VANDPS       Y7, Y4, Y4               \
	VBROADCASTSS ·kone(SB), Y6            \
	VCMPPS       $1, Y6, Y15, Y7          \
	VANDPS       Y7, Y4, Y4               \
	VMOVUPS      Y4, 224+S(SP)            \
	VANDNPS      Y1, Y5, Y1               \
	VMULPS       Y3, Y1, Y1               \
	VBROADCASTSS ·kcone(SB), Y3           \
	VMULPS       Y3, Y2, Y2               \
	VBROADCASTSS 24(SI), Y3               \
	VADDPS       Y3, Y2, Y2               \
	VADDPS       Y9, Y2, Y2               \
	VMAXPS       Y2, Y1, Y1               \
	VMULPS       768+G(DI), Y1, Y1        \
	VADDPS       Y0, Y1, Y1               \
	VMINPS       Y8, Y1, Y0               \
	VMOVUPS      Y0, 640+G(DI)

// func march(f *fan, s *still, pix *cell, count int)
TEXT ·march(SB), NOSPLIT, $640-32
	MOVQ f+0(FP), DI
	MOVQ s+8(FP), SI
	MOVQ pix+16(FP), BX
	MOVQ count+24(FP), R8
	MOVL 28(SI), DX         // stride
	SHLQ $4, DX
	ADDQ BX, DX
	MOVL $40, CX
	VPCMPEQD Y0, Y0, Y0
	VMOVUPS  Y0, 224(SP)
	VMOVUPS  Y0, 512(SP)
	VBROADCASTSS 36(SI), Y0
	VMOVUPS  Y0, 576(SP)
	VMOVUPS  Y0, 608(SP)
	VBROADCASTSS ·kless(SB), Y15
	VMOVUPS  Y15, 832(DI)
	VMOVUPS  Y15, 864(DI)
	CMPQ R8, $2
	JEQ  both

one:
	PLACE(0, 0)
	KNOWN(0)
	SORTED(0, 0)
	CLEAR(0)
	STEP(0, 0, 576)
	VMOVMSKPS Y4, AX
	TESTL     AX, AX
	JZ        end
	DECL      CX
	JNZ       one
	JMP       end

	// While the one eight waits for what it asked, the other goes on.
both:
	PLACE(0, 0)
	PLACE(32, 288)
	KNOWN(0)
	KNOWN(288)
	SORTED(0, 0)
	CLEAR(0)
	STEP(0, 0, 576)
	VMOVMSKPS Y4, R9
	SORTED(32, 288)
	CLEAR(288)
	STEP(32, 288, 608)
	VMOVMSKPS Y4, AX
	ORL       R9, AX
	JZ        end
	DECL      CX
	JNZ       both

end:
	VBROADCASTSS ·kone(SB), Y6
	VMINPS       832(DI), Y6, Y15
	VMOVUPS      Y15, 832(DI)
	VMINPS       864(DI), Y6, Y15
	VMOVUPS      Y15, 864(DI)
	VZEROUPPER
	RET
