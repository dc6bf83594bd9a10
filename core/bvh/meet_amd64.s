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
