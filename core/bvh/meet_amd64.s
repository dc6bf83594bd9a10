#include "textflag.h"

// The far side of a box is padded by two roundings; see meetPortable.
DATA ·padded(SB)/4, $0x3f800003 // 1.0000004
GLOBL ·padded(SB), RODATA|NOPTR, $4

// uvLow and uvHigh, and one.
DATA ·low(SB)/4, $0xb3d6bf95 // -1e-7
GLOBL ·low(SB), RODATA|NOPTR, $4
DATA ·high(SB)/4, $0x3f800002 // 1.0000002
GLOBL ·high(SB), RODATA|NOPTR, $4
DATA ·one(SB)/4, $0x3f800000
GLOBL ·one(SB), RODATA|NOPTR, $4

// Where the fields of Node and Ray lie; a test holds them against the types.
#define ORIGIN 56
#define SCALE 68
#define O 0
#define INV 24
#define T 36
#define MIN 40
#define NEAR 44

// ROW(at, to) widens the eight bytes of the grid at a place to floats, times a (Y4) plus b (Y5).
#define ROW(at, to) \
	VPMOVZXBD (AX)(at*1), to \
	VCVTDQ2PS to, to         \
	VFMADD213PS Y5, Y4, to

// func meetWide(n *Node, r *Ray, enter *[8]float32) uint32
TEXT ·meetWide(SB), NOSPLIT, $0-28
	MOVQ n+0(FP), AX
	MOVQ r+8(FP), BX
	MOVQ enter+16(FP), DI

	// On the grid a box's side is met at t = q*a + b: a in X0, b in X2, a lane an axis.
	// (The scale is read from one number before: what lies behind it is no number, and slow to multiply.)
	VMOVUPS   (SCALE-4)(AX), X0
	VPERMILPS $0x39, X0, X0
	VMOVUPS INV(BX), X1
	VMOVUPS ORIGIN(AX), X2
	VMOVUPS O(BX), X3
	VMULPS  X1, X0, X0
	VSUBPS  X3, X2, X2
	VMULPS  X1, X2, X2

	// Rows that are met first.
	MOVBLZX NEAR(BX), CX
	MOVBLZX (NEAR+1)(BX), DX
	MOVBLZX (NEAR+2)(BX), SI
	ANDL    $1, CX
	ANDL    $1, DX
	ANDL    $1, SI
	SHLL    $3, CX
	LEAL    16(DX*8), DX
	LEAL    32(SI*8), SI

	VBROADCASTSS X0, Y4
	VBROADCASTSS X2, Y5
	ROW(CX, Y6)
	XORL $8, CX
	ROW(CX, Y7)

	VPERMILPS    $0x55, X0, X8
	VPERMILPS    $0x55, X2, X9
	VBROADCASTSS X8, Y4
	VBROADCASTSS X9, Y5
	ROW(DX, Y8)
	XORL $8, DX
	ROW(DX, Y9)
	VMAXPS Y8, Y6, Y6
	VMINPS Y9, Y7, Y7

	VPERMILPS    $0xaa, X0, X8
	VPERMILPS    $0xaa, X2, X9
	VBROADCASTSS X8, Y4
	VBROADCASTSS X9, Y5
	ROW(SI, Y8)
	XORL $8, SI
	ROW(SI, Y9)
	VMAXPS Y8, Y6, Y6
	VMINPS Y9, Y7, Y7

	VBROADCASTSS MIN(BX), Y8
	VMAXPS       Y8, Y6, Y6
	VBROADCASTSS ·padded(SB), Y9
	VMULPS       Y9, Y7, Y7
	VBROADCASTSS T(BX), Y8
	VCMPPS       $2, Y7, Y6, Y7 // enters before it leaves
	VCMPPS       $1, Y8, Y6, Y8 // and before the nearest hit
	VANDPS       Y8, Y7, Y7
	VMOVUPS      Y6, (DI)
	VMOVMSKPS    Y7, AX
	VZEROUPPER
	MOVL         AX, ret+24(FP)
	RET

// func meetBlock(b *Block, r *Ray, met *Hits) uint32
// V at 0, E1 at 48, E2 at 96: of each axis four numbers.
TEXT ·meetBlock(SB), NOSPLIT, $0-28
	MOVQ b+0(FP), AX
	MOVQ r+8(FP), BX
	MOVQ met+16(FP), DI

	VBROADCASTSS 12(BX), X0 // D
	VBROADCASTSS 16(BX), X1
	VBROADCASTSS 20(BX), X2
	VMOVUPS      96(AX), X3 // E2
	VMOVUPS      112(AX), X4
	VMOVUPS      128(AX), X5

	// p = D x E2
	VMULPS X5, X1, X6
	VMULPS X4, X2, X9
	VSUBPS X9, X6, X6
	VMULPS X3, X2, X7
	VMULPS X5, X0, X9
	VSUBPS X9, X7, X7
	VMULPS X4, X0, X8
	VMULPS X3, X1, X9
	VSUBPS X9, X8, X8

	VMOVUPS 48(AX), X9 // E1
	VMOVUPS 64(AX), X10
	VMOVUPS 80(AX), X11

	// inv = 1 / E1 . p
	VMULPS       X6, X9, X12
	VMULPS       X7, X10, X13
	VADDPS       X13, X12, X12
	VMULPS       X8, X11, X13
	VADDPS       X13, X12, X12
	VBROADCASTSS ·one(SB), X13
	VDIVPS       X12, X13, X12

	// s = O - V, u = s . p * inv
	VBROADCASTSS 0(BX), X13
	VSUBPS       0(AX), X13, X13
	VBROADCASTSS 4(BX), X14
	VSUBPS       16(AX), X14, X14
	VBROADCASTSS 8(BX), X15
	VSUBPS       32(AX), X15, X15
	VMULPS       X6, X13, X6
	VMULPS       X7, X14, X7
	VADDPS       X7, X6, X6
	VMULPS       X8, X15, X8
	VADDPS       X8, X6, X6
	VMULPS       X12, X6, X6 // u

	VBROADCASTSS ·low(SB), X7
	VCMPPS       $2, X6, X7, X8 // low <= u
	VMOVMSKPS    X8, CX
	TESTL        CX, CX
	JZ           none

	// q = s x E1
	VMULPS X11, X14, X7
	VMULPS X10, X15, X8
	VSUBPS X8, X7, X7
	VMULPS X9, X15, X8
	VMULPS X11, X13, X11
	VSUBPS X11, X8, X8
	VMULPS X10, X13, X10
	VMULPS X9, X14, X9
	VSUBPS X9, X10, X9

	// v = D . q * inv
	VMULPS X7, X0, X0
	VMULPS X8, X1, X1
	VADDPS X1, X0, X0
	VMULPS X9, X2, X2
	VADDPS X2, X0, X0
	VMULPS X12, X0, X0 // v

	// t = E2 . q * inv
	VMULPS X7, X3, X3
	VMULPS X8, X4, X4
	VADDPS X4, X3, X3
	VMULPS X9, X5, X5
	VADDPS X5, X3, X3
	VMULPS X12, X3, X3 // t

	VBROADCASTSS ·low(SB), X7
	VCMPPS       $2, X6, X7, X8
	VCMPPS       $2, X0, X7, X9
	VANDPS       X9, X8, X8
	VADDPS       X0, X6, X9
	VBROADCASTSS ·high(SB), X7
	VCMPPS       $2, X7, X9, X9
	VANDPS       X9, X8, X8
	VBROADCASTSS MIN(BX), X7
	VCMPPS       $1, X3, X7, X9
	VANDPS       X9, X8, X8
	VBROADCASTSS T(BX), X7
	VCMPPS       $1, X7, X3, X9
	VANDPS       X9, X8, X8
	VMOVMSKPS    X8, CX
	TESTL        CX, CX
	JZ           none
	VMOVUPS      X3, 0(DI)
	VMOVUPS      X6, 16(DI)
	VMOVUPS      X0, 32(DI)

none:
	MOVL CX, ret+24(FP)
	RET
