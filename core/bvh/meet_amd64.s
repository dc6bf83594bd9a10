#include "textflag.h"
#include "boxes_amd64.h"

// The far side of a box is padded by two roundings; see meetPortable.
DATA ·padded(SB)/4, $0x3f800003 // 1.0000004
GLOBL ·padded(SB), RODATA|NOPTR, $4

// func meetWide(n *Node, r *Ray, enter *[8]float32) uint32
TEXT ·meetWide(SB), NOSPLIT, $0-28
	MOVQ n+0(FP), AX
	MOVQ r+8(FP), R11
	MOVQ enter+16(FP), DI
	MOVBLZX NEAR(R11), CX
	MOVBLZX (NEAR+1)(R11), DX
	MOVBLZX (NEAR+2)(R11), SI
	ANDL $1, CX
	ANDL $1, DX
	ANDL $1, SI
	SHLL $3, CX
	LEAL 16(DX*8), DX
	LEAL 32(SI*8), SI
	VMOVUPS      INV(R11), X12
	VMOVUPS      O(R11), X11
	VBROADCASTSS MIN(R11), Y13
	VBROADCASTSS T(R11), Y14
	VBROADCASTSS ·padded(SB), Y15
	BOXES
	VMOVUPS Y6, (DI)
	VZEROUPPER
	MOVL BX, ret+24(FP)
	RET
