#include "textflag.h"

// Eight ways of a fan at a time. It does the operations of marchEach and clear in ways.go in the same order, and so
// gives the same bits.

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
// length in Y3 and their ends in Y0 to Y2.
#define TOUCH \
	VMOVUPS      0(SI), Y0         \
	VMOVUPS      32(SI), Y1        \
	VMOVUPS      64(SI), Y2        \
	VBROADCASTSS 0(BX), Y8         \
	VBROADCASTSS 4(BX), Y9         \
	VBROADCASTSS 8(BX), Y10        \
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
	VMOVUPS      96(SI), Y6        \
	VMAXPS       128(SI), Y6, Y6   \
	VBROADCASTSS 12(BX), Y9        \
	VADDPS       Y6, Y9, Y9        \
	VMULPS       Y9, Y9, Y9        \
	VCMPPS       $2, Y9, Y8, Y7    \
	VMOVUPS      160(SI), Y11      \
	VCMPPS       $14, Y15, Y11, Y8 \
	VANDPS       Y8, Y7, Y7

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
	VMOVUPS   Y3, 96(DI)
	VBROADCASTSS 40(BX), Y4
	VMULPS    Y3, Y4, Y4            // t0; t1 is in Y11
	VBROADCASTSS ·ksign(SB), Y13
	// between two planes as far from the card as the body is thick
	VBROADCASTSS 24(BX), Y8
	VMULPS    Y0, Y8, Y8
	VBROADCASTSS 28(BX), Y9
	VMULPS    Y1, Y9, Y9
	VADDPS    Y9, Y8, Y8
	VBROADCASTSS 32(BX), Y9
	VMULPS    Y2, Y9, Y9
	VADDPS    Y9, Y8, Y8            // dw
	VBROADCASTSS 36(BX), Y9
	VMULPS    Y9, Y8, Y9
	VMOVUPS   Y9, 64(DI)
	VBROADCASTSS 20(BX), Y9
	VADDPS    Y6, Y9, Y9            // tall
	VBROADCASTSS 16(BX), Y10
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
	MOVL      44(BX), CX
	LEAQ      48(BX), DX
	TESTL     CX, CX
	JZ        meetEnd

meetSide:
	VBROADCASTSS 4(DX), Y8
	VMULPS    Y0, Y8, Y8
	VBROADCASTSS 8(DX), Y9
	VMULPS    Y1, Y9, Y9
	VADDPS    Y9, Y8, Y8
	VBROADCASTSS 12(DX), Y9
	VMULPS    Y2, Y9, Y9
	VADDPS    Y9, Y8, Y8
	VBROADCASTSS 0(DX), Y9
	VADDPS    Y6, Y9, Y9
	VXORPS    Y13, Y9, Y9
	VDIVPS    Y8, Y9, Y9
	VCMPPS    $13, Y15, Y8, Y10     // inwards
	VMAXPS    Y4, Y9, Y12
	VBLENDVPS Y10, Y12, Y4, Y4
	VMINPS    Y11, Y9, Y12
	VBLENDVPS Y10, Y11, Y12, Y11
	ADDQ      $16, DX
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

// func march(f *fan, s *still, pix *cell)
//
// On the stack: the first byte of each way's cells, fx and fy from 0, 32 and 64 on; at 96 what is between, of 16 bytes each;
// at 224 which still go, at 256 what is beyond the grid.
TEXT ·march(SB), NOSPLIT, $288-24
	MOVQ f+0(FP), DI
	MOVQ s+8(FP), SI
	MOVQ pix+16(FP), BX
	MOVL 44(SI), DX         // stride
	SHLQ $4, DX
	ADDQ BX, DX
	MOVL $40, CX
	VPCMPEQD Y0, Y0, Y0
	VMOVUPS  Y0, 224(SP)
	VBROADCASTSS ·kless(SB), Y15 // worst
	VMOVUPS  192(DI), Y0    // t

next:
	// z, and which lie before the camera
	VMULPS       64(DI), Y0, Y1
	VBROADCASTSS 8(SI), Y2
	VADDPS       Y1, Y2, Y1
	VBROADCASTSS ·keye(SB), Y2
	VCMPPS       $13, Y2, Y1, Y3    // z >= eye
	VANDPS       224(SP), Y3, Y3
	VMOVUPS      Y3, 224(SP)
	VMAXPS       Y2, Y1, Y1
	// to cells
	VBROADCASTSS 16(SI), Y2
	VDIVPS       Y1, Y2, Y2         // k by z
	VMULPS       0(DI), Y0, Y3
	VBROADCASTSS 0(SI), Y5
	VADDPS       Y3, Y5, Y3
	VMULPS       Y2, Y3, Y3
	VBROADCASTSS 20(SI), Y5
	VADDPS       Y5, Y3, Y3         // u
	VMULPS       32(DI), Y0, Y4
	VBROADCASTSS 4(SI), Y5
	VADDPS       Y4, Y5, Y4
	VMULPS       Y2, Y4, Y4
	VBROADCASTSS 24(SI), Y5
	VADDPS       Y5, Y4, Y4         // v
	VXORPS       Y7, Y7, Y7
	VMAXPS       Y7, Y3, Y5
	VBROADCASTSS 28(SI), Y8
	VMINPS       Y8, Y5, Y5         // u within the grid
	VMAXPS       Y7, Y4, Y6
	VBROADCASTSS 32(SI), Y8
	VMINPS       Y8, Y6, Y6         // v within the grid
	VSUBPS       Y5, Y3, Y3
	VMULPS       Y3, Y3, Y3
	VSUBPS       Y6, Y4, Y4
	VMULPS       Y4, Y4, Y4
	VADDPS       Y4, Y3, Y3
	VMOVUPS      Y3, 256(SP)        // beyond it, squared
	VCVTTPS2DQ   Y5, Y7
	VCVTDQ2PS    Y7, Y8
	VSUBPS       Y8, Y5, Y5
	VMOVUPS      Y5, 32(SP)
	VCVTTPS2DQ   Y6, Y9
	VCVTDQ2PS    Y9, Y8
	VSUBPS       Y8, Y6, Y6
	VMOVUPS      Y6, 64(SP)
	VPBROADCASTD 44(SI), Y8
	VPMULLD      Y8, Y9, Y9
	VPADDD       Y7, Y9, Y9
	VPSLLD       $4, Y9, Y9
	VMOVDQU      Y9, 0(SP)
	BETWEEN(0, 32, 64, 96)
	BETWEEN(4, 36, 68, 112)
	BETWEEN(8, 40, 72, 128)
	BETWEEN(12, 44, 76, 144)
	BETWEEN(16, 48, 80, 160)
	BETWEEN(20, 52, 84, 176)
	BETWEEN(24, 56, 88, 192)
	BETWEEN(28, 60, 92, 208)
	// By number instead of by way.
	VMOVUPS      96(SP), X1
	VINSERTF128  $1, 160(SP), Y1, Y1
	VMOVUPS      112(SP), X2
	VINSERTF128  $1, 176(SP), Y2, Y2
	VMOVUPS      128(SP), X3
	VINSERTF128  $1, 192(SP), Y3, Y3
	VMOVUPS      144(SP), X4
	VINSERTF128  $1, 208(SP), Y4, Y4
	VUNPCKLPS    Y2, Y1, Y5         // off2 and ball, of the first two of each half
	VUNPCKLPS    Y4, Y3, Y6
	VUNPCKHPS    Y2, Y1, Y7         // out
	VUNPCKHPS    Y4, Y3, Y8
	VUNPCKLPD    Y6, Y5, Y1         // off2
	VUNPCKHPD    Y6, Y5, Y2         // ball
	VUNPCKLPD    Y8, Y7, Y3         // out
	// how far from the card, squared
	VMULPS       96(DI), Y0, Y4
	VBROADCASTSS 12(SI), Y5
	VADDPS       Y4, Y5, Y4
	VBROADCASTSS ·ksign(SB), Y5
	VXORPS       Y4, Y5, Y6
	VBROADCASTSS 48(SI), Y7
	VANDPS       Y7, Y6, Y6
	VMAXPS       Y6, Y4, Y4
	VMULPS       Y4, Y4, Y4
	// beyond the grid
	VMOVUPS      256(SP), Y6
	VXORPS       Y7, Y7, Y7
	VCMPPS       $14, Y7, Y6, Y8    // beyond > 0
	VMULPS       Y2, Y2, Y9
	VMAXPS       Y1, Y9, Y9
	VADDPS       Y6, Y9, Y9
	VBLENDVPS    Y8, Y9, Y1, Y1
	VSQRTPS      Y6, Y6
	VADDPS       Y6, Y3, Y3         // what is not beyond adds 0
	// clear
	VADDPS       Y4, Y1, Y1
	VSQRTPS      Y1, Y1
	VSUBPS       Y2, Y1, Y1
	VMULPS       Y3, Y3, Y6
	VADDPS       Y4, Y6, Y6
	VSQRTPS      Y6, Y6
	VMINPS       Y1, Y6, Y6
	VCMPPS       $14, Y7, Y3, Y8    // out > 0
	VBLENDVPS    Y8, Y6, Y1, Y1
	VBROADCASTSS 36(SI), Y2
	VMULPS       Y2, Y1, Y1
	// how deep
	VMULPS       160(DI), Y0, Y2
	VADDPS       128(DI), Y2, Y2    // cone
	VXORPS       Y5, Y1, Y3
	VDIVPS       Y2, Y3, Y3
	VMAXPS       Y15, Y3, Y3
	VMOVUPS      224(SP), Y4
	VBLENDVPS    Y4, Y3, Y15, Y15
	// those that go on
	VMULPS       Y2, Y15, Y9
	VADDPS       Y9, Y1, Y9
	VXORPS       Y7, Y7, Y7
	VMAXPS       Y7, Y9, Y9
	VBROADCASTSS ·kbold(SB), Y3
	VMULPS       Y3, Y9, Y9         // idle
	VMULPS       256(DI), Y9, Y10
	VMOVUPS      224(DI), Y8
	VSUBPS       Y0, Y8, Y11
	VCMPPS       $1, Y11, Y10, Y7   // idle < what is left
	VANDPS       Y7, Y4, Y4
	VBROADCASTSS ·kone(SB), Y6
	VCMPPS       $1, Y6, Y15, Y7    // worst < 1
	VANDPS       Y7, Y4, Y4
	VMOVUPS      Y4, 224(SP)
	VMOVMSKPS    Y4, AX
	TESTL        AX, AX
	JZ           end
	// the step
	VANDNPS      Y1, Y5, Y1
	VMULPS       Y3, Y1, Y1
	VBROADCASTSS ·kcone(SB), Y3
	VMULPS       Y3, Y2, Y2
	VBROADCASTSS 40(SI), Y3
	VADDPS       Y3, Y2, Y2
	VADDPS       Y9, Y2, Y2
	VMAXPS       Y2, Y1, Y1
	VMULPS       256(DI), Y1, Y1
	VADDPS       Y0, Y1, Y1
	VMINPS       Y8, Y1, Y0
	DECL         CX
	JNZ          next

end:
	VBROADCASTSS ·kone(SB), Y6
	VMINPS       Y6, Y15, Y15
	VMOVUPS      Y15, 288(DI)
	VZEROUPPER
	RET
