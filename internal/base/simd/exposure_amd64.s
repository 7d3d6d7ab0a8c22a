#include "textflag.h"

// What the rows of a picture go through, eight samples at a time. Each does the operations of the
// Go in rows.go in the same order, and so gives the same bits.

DATA ·kone+0(SB)/4, $0x3f800000 // 1.0
GLOBL ·kone(SB), RODATA|NOPTR, $4
DATA ·klog2e+0(SB)/4, $0x3fb8aa3b // 1.4426950408889634
GLOBL ·klog2e(SB), RODATA|NOPTR, $4
DATA ·kmagic+0(SB)/4, $0x4b400000 // 12582912.0
GLOBL ·kmagic(SB), RODATA|NOPTR, $4
DATA ·kexpEnd+0(SB)/4, $0x41800000 // 16.0
GLOBL ·kexpEnd(SB), RODATA|NOPTR, $4
DATA ·kexp1+0(SB)/4, $0xbf317218 // -0.6931472067028328
GLOBL ·kexp1(SB), RODATA|NOPTR, $4
DATA ·kexp2+0(SB)/4, $0x3e75fdf0 // 0.24022650922288688
GLOBL ·kexp2(SB), RODATA|NOPTR, $4
DATA ·kexp3+0(SB)/4, $0xbd635766 // -0.05550327226670095
GLOBL ·kexp3(SB), RODATA|NOPTR, $4
DATA ·kexp4+0(SB)/4, $0x3c1d950e // 0.009618056678527508
GLOBL ·kexp4(SB), RODATA|NOPTR, $4
DATA ·kexp5+0(SB)/4, $0xbaafa460 // -0.0013400428177681087
GLOBL ·kexp5(SB), RODATA|NOPTR, $4
DATA ·kexp6+0(SB)/4, $0x39222000 // 0.00015461444698922696
GLOBL ·kexp6(SB), RODATA|NOPTR, $4
DATA ·kencLow+0(SB)/4, $0x3b4d2e1c // 0.0031308
GLOBL ·kencLow(SB), RODATA|NOPTR, $4
DATA ·kencSlope+0(SB)/4, $0x414eb852 // 12.92
GLOBL ·kencSlope(SB), RODATA|NOPTR, $4
DATA ·kcodes+0(SB)/4, $0x4b7f0000 // 16711680.0
GLOBL ·kcodes(SB), RODATA|NOPTR, $4
DATA ·kenc0+0(SB)/4, $0xbd73b16d // -0.05949537931166164
GLOBL ·kenc0(SB), RODATA|NOPTR, $4
DATA ·kenc1+0(SB)/4, $0x3e0ea435 // 0.1392982713636226
GLOBL ·kenc1(SB), RODATA|NOPTR, $4
DATA ·kenc2+0(SB)/4, $0x3faed242 // 1.3657915807845034
GLOBL ·kenc2(SB), RODATA|NOPTR, $4
DATA ·kenc3+0(SB)/4, $0xbf594aca // -0.8487974568427767
GLOBL ·kenc3(SB), RODATA|NOPTR, $4
DATA ·kenc4+0(SB)/4, $0x3f25a107 // 0.6469883145537192
GLOBL ·kenc4(SB), RODATA|NOPTR, $4
DATA ·kenc5+0(SB)/4, $0xbe9e0882 // -0.30865865880585774
GLOBL ·kenc5(SB), RODATA|NOPTR, $4
DATA ·kenc6+0(SB)/4, $0x3d84dc4f // 0.06487332825845106
GLOBL ·kenc6(SB), RODATA|NOPTR, $4
DATA ·kbias+0(SB)/4, $127
GLOBL ·kbias(SB), RODATA|NOPTR, $4
DATA ·kopaque+0(SB)/4, $0xff000000
GLOBL ·kopaque(SB), RODATA|NOPTR, $4
DATA ·kcount+0(SB)/4, $0
DATA ·kcount+4(SB)/4, $1
DATA ·kcount+8(SB)/4, $2
DATA ·kcount+12(SB)/4, $3
DATA ·kcount+16(SB)/4, $4
DATA ·kcount+20(SB)/4, $5
DATA ·kcount+24(SB)/4, $6
DATA ·kcount+28(SB)/4, $7
GLOBL ·kcount(SB), RODATA|NOPTR, $32

// func softAdd8(p, x *float32, n int)
TEXT ·softAdd8(SB), NOSPLIT, $0-24
	MOVQ         p+0(FP), DI
	MOVQ         x+8(FP), SI
	MOVQ         n+16(FP), CX
	VBROADCASTSS ·kone(SB), Y8
	VBROADCASTSS ·klog2e(SB), Y9
	VBROADCASTSS ·kmagic(SB), Y10
	VBROADCASTSS ·kexpEnd(SB), Y11
	VPBROADCASTD ·kbias(SB), Y12
	VBROADCASTSS ·kexp6(SB), Y13
	VBROADCASTSS ·kexp5(SB), Y14
	VBROADCASTSS ·kexp4(SB), Y15

softAddNext:
	VMOVUPS      (DI), Y0           // p
	VMOVUPS      (SI), Y1           // x
	VSUBPS       Y0, Y8, Y2         // t = 1 - p
	VDIVPS       Y2, Y1, Y3         // u = x / t
	VMULPS       Y9, Y3, Y4         // z
	VADDPS       Y10, Y4, Y5
	VSUBPS       Y10, Y5, Y5        // n
	VSUBPS       Y5, Y4, Y4         // f = z - n
	VCVTPS2DQ    Y5, Y5
	VPSUBD       Y5, Y12, Y5
	VPSLLD       $23, Y5, Y5        // 2^-n
	VMULPS       Y4, Y13, Y6
	VADDPS       Y14, Y6, Y6
	VMULPS       Y4, Y6, Y6
	VADDPS       Y15, Y6, Y6
	VMULPS       Y4, Y6, Y6
	VBROADCASTSS ·kexp3(SB), Y7
	VADDPS       Y7, Y6, Y6
	VMULPS       Y4, Y6, Y6
	VBROADCASTSS ·kexp2(SB), Y7
	VADDPS       Y7, Y6, Y6
	VMULPS       Y4, Y6, Y6
	VBROADCASTSS ·kexp1(SB), Y7
	VADDPS       Y7, Y6, Y6
	VMULPS       Y4, Y6, Y6
	VADDPS       Y8, Y6, Y6
	VMULPS       Y5, Y6, Y6         // e^-u
	VCMPPS       $1, Y11, Y3, Y7    // u < 16, above which it is 0
	VANDPS       Y7, Y6, Y6
	VMULPS       Y6, Y2, Y6
	VSUBPS       Y6, Y8, Y6         // 1 - t·e^-u
	VXORPS       Y4, Y4, Y4
	VCMPPS       $1, Y8, Y0, Y7     // p < 1
	VCMPPS       $1, Y1, Y4, Y5     // 0 < x
	VANDPS       Y5, Y7, Y7
	VBLENDVPS    Y7, Y6, Y0, Y0
	VMOVUPS      Y0, (DI)
	ADDQ         $32, DI
	ADDQ         $32, SI
	SUBQ         $8, CX
	JG           softAddNext
	VZEROUPPER
	RET

// ENCODE makes codes of two pixels in V, each of which has a fourth sample of no meaning.
// n>>16 of the pixels is K; Y1 to Y4 are overwritten.
#define ENCODE(V, K) \
	VXORPS       Y1, Y1, Y1       \
	VMAXPS       Y1, V, Y1        \
	VMINPS       Y8, Y1, Y1       \
	VSQRTPS      Y1, Y2           \
	VSQRTPS      Y2, Y2           \
	VMULPS       Y2, Y11, Y3      \
	VADDPS       Y12, Y3, Y3      \
	VMULPS       Y2, Y3, Y3       \
	VADDPS       Y13, Y3, Y3      \
	VMULPS       Y2, Y3, Y3       \
	VADDPS       Y14, Y3, Y3      \
	VMULPS       Y2, Y3, Y3       \
	VBROADCASTSS ·kenc2(SB), Y4   \
	VADDPS       Y4, Y3, Y3       \
	VMULPS       Y2, Y3, Y3       \
	VBROADCASTSS ·kenc1(SB), Y4   \
	VADDPS       Y4, Y3, Y3       \
	VMULPS       Y2, Y3, Y3       \
	VBROADCASTSS ·kenc0(SB), Y4   \
	VADDPS       Y4, Y3, Y3       \
	VBROADCASTSS ·kencSlope(SB), Y4 \
	VMULPS       Y1, Y4, Y2       \
	VCMPPS       $1, Y1, Y10, Y4  \
	VBLENDVPS    Y4, Y3, Y2, Y3   \
	VCMPPS       $13, Y8, Y1, Y4  \
	VBLENDVPS    Y4, Y8, Y3, Y3   \
	VMINPS       Y8, Y3, Y3       \
	VMULPS       Y9, Y3, Y3       \
	VCVTTPS2DQ   Y3, Y3           \
	VPADDD       K, Y3, Y3        \
	VPSRLD       $16, Y3, V

// func encode8x8(dst *uint8, src *float32, groups int, seed, step uint32)
TEXT ·encode8x8(SB), NOSPLIT, $0-32
	MOVQ         dst+0(FP), DI
	MOVQ         src+8(FP), SI
	MOVQ         groups+16(FP), CX
	MOVL         seed+24(FP), R9
	MOVL         step+28(FP), R8
	VBROADCASTSS ·kone(SB), Y8
	VBROADCASTSS ·kcodes(SB), Y9
	VBROADCASTSS ·kencLow(SB), Y10
	VBROADCASTSS ·kenc6(SB), Y11
	VBROADCASTSS ·kenc5(SB), Y12
	VBROADCASTSS ·kenc4(SB), Y13
	VBROADCASTSS ·kenc3(SB), Y14

	// Y15 is n of eight pixels.
	VMOVD        R8, X1
	VPBROADCASTD X1, Y1
	VPMULLD      ·kcount(SB), Y1, Y15
	VMOVD        R9, X2
	VPBROADCASTD X2, Y2
	VPADDD       Y2, Y15, Y15
	SHLL         $3, R8

encodeNext:
	VPSRLD       $16, Y15, Y5
	VMOVUPS      (SI), X0
	VINSERTF128  $1, 48(SI), Y0, Y0
	VPSHUFD      $0x00, Y5, Y6
	ENCODE(Y0, Y6)
	VMOVUPS      12(SI), X7
	VINSERTF128  $1, 60(SI), Y7, Y7
	VPSHUFD      $0x55, Y5, Y6
	ENCODE(Y7, Y6)
	VPACKUSDW    Y7, Y0, Y0             // pixels 0, 1 and 4, 5
	VMOVUPS      24(SI), X7
	VINSERTF128  $1, 72(SI), Y7, Y7
	VPSHUFD      $0xAA, Y5, Y6
	ENCODE(Y7, Y6)
	VPSHUFD      $0xFF, Y5, Y6
	VMOVUPS      36(SI), X5
	VINSERTF128  $1, 84(SI), Y5, Y5
	ENCODE(Y5, Y6)
	VPACKUSDW    Y5, Y7, Y7             // 2, 3 and 6, 7
	VPACKUSWB    Y7, Y0, Y0
	VPBROADCASTD ·kopaque(SB), Y1
	VPOR         Y1, Y0, Y0
	VMOVDQU      Y0, (DI)
	VMOVD        R8, X1
	VPBROADCASTD X1, Y1
	VPADDD       Y1, Y15, Y15
	ADDQ         $32, DI
	ADDQ         $96, SI
	DECQ         CX
	JNZ          encodeNext
	VZEROUPPER
	RET

// func expNeg8(x *float32, n int)
TEXT ·expNeg8(SB), NOSPLIT, $0-16
	MOVQ         x+0(FP), DI
	MOVQ         n+8(FP), CX
	VBROADCASTSS ·kone(SB), Y8
	VBROADCASTSS ·klog2e(SB), Y9
	VBROADCASTSS ·kmagic(SB), Y10
	VBROADCASTSS ·kexpEnd(SB), Y11
	VPBROADCASTD ·kbias(SB), Y12
	VBROADCASTSS ·kexp6(SB), Y13
	VBROADCASTSS ·kexp5(SB), Y14
	VBROADCASTSS ·kexp4(SB), Y15
	VBROADCASTSS ·kexp3(SB), Y0
	VBROADCASTSS ·kexp2(SB), Y1
	VBROADCASTSS ·kexp1(SB), Y2

expNegNext:
	VMOVUPS   (DI), Y3
	VMULPS    Y9, Y3, Y4
	VADDPS    Y10, Y4, Y5
	VSUBPS    Y10, Y5, Y5
	VSUBPS    Y5, Y4, Y4
	VCVTPS2DQ Y5, Y5
	VPSUBD    Y5, Y12, Y5
	VPSLLD    $23, Y5, Y5
	VMULPS    Y4, Y13, Y6
	VADDPS    Y14, Y6, Y6
	VMULPS    Y4, Y6, Y6
	VADDPS    Y15, Y6, Y6
	VMULPS    Y4, Y6, Y6
	VADDPS    Y0, Y6, Y6
	VMULPS    Y4, Y6, Y6
	VADDPS    Y1, Y6, Y6
	VMULPS    Y4, Y6, Y6
	VADDPS    Y2, Y6, Y6
	VMULPS    Y4, Y6, Y6
	VADDPS    Y8, Y6, Y6
	VMULPS    Y5, Y6, Y6
	VCMPPS    $1, Y11, Y3, Y7 // x < 16, above which it is 0
	VANDPS    Y7, Y6, Y6
	VMOVUPS   Y6, (DI)
	ADDQ      $32, DI
	SUBQ      $8, CX
	JG        expNegNext
	VZEROUPPER
	RET
