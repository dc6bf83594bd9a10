#include "textflag.h"
#include "boxes_amd64.h"

// uvLow and uvHigh, and one.
DATA ·low(SB)/4, $0xb3d6bf95 // -1e-7
GLOBL ·low(SB), RODATA|NOPTR, $4
DATA ·high(SB)/4, $0x3f800002 // 1.0000002
GLOBL ·high(SB), RODATA|NOPTR, $4
DATA ·one(SB)/4, $0x3f800000
GLOBL ·one(SB), RODATA|NOPTR, $4

// Where the fields of Walk lie; a test holds them against the types.
#define NODES 0
#define BLOCKS 8
#define TOP 16
#define BASE 24
#define BLOCK 32
#define MASK 36
#define RAY 40
#define ENTER 88
#define MET 120
#define STACK 168
#define ROOM 88

// The numbers of eight places.
DATA ·places+0(SB)/8, $0x0000000100000000
DATA ·places+8(SB)/8, $0x0000000300000002
DATA ·places+16(SB)/8, $0x0000000500000004
DATA ·places+24(SB)/8, $0x0000000700000006
GLOBL ·places(SB), RODATA|NOPTR, $32
DATA ·upper(SB)/4, $0xfffffff8
GLOBL ·upper(SB), RODATA|NOPTR, $4

// SORT is a step of a sorting network: the larger of each pair goes where the bits of lower are 0.
#define SORT(other, lower) \
	VPMAXSD  other, Y0, Y2 \
	VPMINSD  other, Y0, Y3 \
	VPBLENDD lower, Y3, Y2, Y0

// func walks(list **Walk, n, at int) (which int, step uint32)
//
// R8 the walk whose turn it is, R9 its nodes, R12 its stack, R13 how many wait; CX, DX, SI where the rows of the sides
// that are met first begin; DI the bits of the nearest hit so far, which order as the numbers do; X12 one over the
// direction, X11 the origin, Y13 the least way, Y14 the nearest hit, Y15 the padding. What waits is its way above its
// child, so that the order of both is that of one number. There are few branches: which way they go cannot be foretold,
// and each that is not costs as much as the rest of a step.
TEXT ·walks(SB), NOSPLIT, $0-36
turn:
	MOVQ    at+16(FP), R10
	MOVQ    list+0(FP), R11
	MOVQ    (R11)(R10*8), R8
	MOVQ    NODES(R8), R9
	LEAQ    RAY(R8), R11
	LEAQ    STACK(R8), R12
	MOVQ    TOP(R8), R13
	MOVBLZX NEAR(R11), CX
	MOVBLZX (NEAR+1)(R11), DX
	MOVBLZX (NEAR+2)(R11), SI
	SHLL    $3, CX
	SHLL    $3, DX
	SHLL    $3, SI
	MOVL    T(R11), DI

next:
	TESTQ R13, R13
	JZ    done
	DECQ  R13
	MOVQ  (R12)(R13*8), R15
	MOVQ  R15, AX
	SHRQ  $32, AX
	ANDL  $-8, AX
	CMPL  AX, DI
	JCC   next // it is met behind the nearest hit
	TESTL R15, R15
	JS    leaf

	VMOVUPS      INV(R11), X12
	VMOVUPS      O(R11), X11
	VBROADCASTSS MIN(R11), Y13
	VBROADCASTSS T(R11), Y14
	VBROADCASTSS ·padded(SB), Y15
	MOVL         R15, AX
	SHLQ         $7, AX
	ADDQ         R9, AX
	BOXES
	CMPQ R13, $ROOM
	JGE  full

	// What is met by its way, with its place in the lowest bits, the farthest first; behind it what is not, as -1.
	VPBROADCASTD ·upper(SB), Y0
	VPAND        Y6, Y0, Y0
	VPOR         ·places(SB), Y0, Y0
	VPCMPEQD     Y1, Y1, Y1
	VPXOR        Y7, Y1, Y1
	VPOR         Y1, Y0, Y0
	VPSHUFD      $0xb1, Y0, Y1
	SORT(Y1, $0x66)
	VPSHUFD      $0x4e, Y0, Y1
	SORT(Y1, $0x3c)
	VPSHUFD      $0xb1, Y0, Y1
	SORT(Y1, $0x5a)
	VPERMQ       $0x4e, Y0, Y1
	SORT(Y1, $0xf0)
	VPSHUFD      $0x4e, Y0, Y1
	SORT(Y1, $0xcc)
	VPSHUFD      $0xb1, Y0, Y1
	SORT(Y1, $0xaa)

	// Each on its child, all at once onto the stack.
	VMOVDQU      CHILD(AX), Y1
	VPERMD       Y1, Y0, Y1
	VPUNPCKLDQ   Y0, Y1, Y2
	VPUNPCKHDQ   Y0, Y1, Y3
	VMOVDQU      X2, (R12)(R13*8)
	VMOVDQU      X3, 16(R12)(R13*8)
	VEXTRACTI128 $1, Y2, 32(R12)(R13*8)
	VEXTRACTI128 $1, Y3, 48(R12)(R13*8)
	POPCNTL      BX, BX
	ADDQ         BX, R13

another:
	// While what is next is fetched another goes on.
	TESTQ      R13, R13
	JZ         done
	MOVQ       -8(R12)(R13*8), R15
	MOVL       R15, AX
	SHLQ       $7, AX
	ADDQ       R9, AX
	MOVL       R15, R11
	ANDL       $0x7ffffff, R11
	IMULQ      $160, R11
	ADDQ       BLOCKS(R8), R11
	LEAQ       64(AX), BX
	LEAQ       128(R11), R10
	TESTL      R15, R15
	CMOVQMI    R11, AX
	CMOVQMI    R10, BX
	PREFETCHT0 (AX)
	PREFETCHT0 64(AX)
	PREFETCHT0 (BX)
	MOVQ       R13, TOP(R8)
	MOVQ       at+16(FP), R10
	INCQ       R10
	XORL       R11, R11
	CMPQ       R10, n+8(FP)
	CMOVQGE    R11, R10
	MOVQ       R10, at+16(FP)
	JMP        turn

full:
	// Whoever goes on has more room: this node is entered again.
	MOVL R15, R15
	MOVQ R15, (R12)(R13*8)
	INCQ R13
	MOVQ R13, TOP(R8)
	VZEROUPPER
	MOVL $2, step+32(FP)
	MOVQ at+16(FP), R10
	MOVQ R10, which+24(FP)
	RET

done:
	MOVQ $0, TOP(R8)
	VZEROUPPER
	MOVL $0, step+32(FP)
	MOVQ at+16(FP), R10
	MOVQ R10, which+24(FP)
	RET

leaf:
	ANDL $0x7ffffff, R15
	MOVL  R15, AX
	IMULQ $160, AX
	ADDQ  BLOCKS(R8), AX

	VBROADCASTSS D(R11), X0
	VBROADCASTSS (D+4)(R11), X1
	VBROADCASTSS (D+8)(R11), X2
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
	VBROADCASTSS O(R11), X13
	VSUBPS       0(AX), X13, X13
	VBROADCASTSS (O+4)(R11), X14
	VSUBPS       16(AX), X14, X14
	VBROADCASTSS (O+8)(R11), X15
	VSUBPS       32(AX), X15, X15
	VMULPS       X6, X13, X6
	VMULPS       X7, X14, X7
	VADDPS       X7, X6, X6
	VMULPS       X8, X15, X8
	VADDPS       X8, X6, X6
	VMULPS       X12, X6, X6 // u

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
	VBROADCASTSS MIN(R11), X7
	VCMPPS       $1, X3, X7, X9
	VANDPS       X9, X8, X8
	VBROADCASTSS T(R11), X7
	VCMPPS       $1, X7, X3, X9
	VANDPS       X9, X8, X8
	VMOVMSKPS    X8, BX
	TESTL        BX, BX
	JZ           another
	VMOVUPS      X3, MET(R8)
	VMOVUPS      X6, (MET+16)(R8)
	VMOVUPS      X0, (MET+32)(R8)
	MOVL         BX, MASK(R8)
	MOVL         R15, BLOCK(R8)
	MOVQ         R13, TOP(R8)
	VZEROUPPER
	MOVL $1, step+32(FP)
	MOVQ at+16(FP), R10
	MOVQ R10, which+24(FP)
	RET
