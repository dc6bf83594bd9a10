#include "textflag.h"

// The constants of runPortable.
DATA ·reach(SB)/4, $0x40600000 // 3.5
GLOBL ·reach(SB), RODATA|NOPTR, $4
DATA ·tinted(SB)/4, $0x42700000 // 60
GLOBL ·tinted(SB), RODATA|NOPTR, $4
DATA ·most(SB)/4, $0x41400000 // 12
GLOBL ·most(SB), RODATA|NOPTR, $4
DATA ·turned(SB)/4, $0x3e99999a // 0.3
GLOBL ·turned(SB), RODATA|NOPTR, $4
DATA ·one(SB)/4, $0x3f800000
GLOBL ·one(SB), RODATA|NOPTR, $4
DATA ·part(SB)/4, $0x3d000000 // 1/32
GLOBL ·part(SB), RODATA|NOPTR, $4
DATA ·sign(SB)/4, $0x7fffffff
GLOBL ·sign(SB), RODATA|NOPTR, $4

// Where the fields of planes lie; a test holds them against the type.
#define NORMAL 0
#define ALBEDO 24
#define NEAR 48
#define LIGHT 56
#define VARIANCE 80
#define LUMA 88
#define SHARP 96
#define SUMS 104
#define WEIGHT 144
#define KERNEL 152
#define NEARNESS 156

// PAIR reads eight pixels of a plane and of the tap.
#define PAIR(plane, a, b) \
	MOVQ    plane(DI), AX \
	VMOVUPS (AX)(DX*1), a \
	ADDQ    SI, AX \
	VMOVUPS (AX)(DX*1), b

// MORE adds a product to a sum.
#define MORE(plane, factor) \
	MOVQ    plane(DI), AX \
	ADDQ    SI, AX \
	VMOVUPS (AX)(DX*1), Y3 \
	VMULPS  Y3, factor, Y3

#define SUM(k) \
	VANDPS  Y8, Y3, Y3 \
	MOVQ    (SUMS+8*k)(DI), AX \
	VADDPS  (AX)(DX*1), Y3, Y3 \
	VMOVUPS Y3, (AX)(DX*1)

// func taps(p *planes, off, n int)
//
// DI the planes, SI how far the tap lies off, CX how many eights are left, DX where they begin; Y15 to Y9 constants.
TEXT ·taps(SB), NOSPLIT, $0-24
	MOVQ         p+0(FP), DI
	MOVQ         off+8(FP), SI
	MOVQ         n+16(FP), CX
	XORL         DX, DX
	VBROADCASTSS ·sign(SB), Y15
	VBROADCASTSS NEARNESS(DI), Y14
	VBROADCASTSS ·reach(SB), Y13
	VBROADCASTSS ·most(SB), Y12
	VBROADCASTSS KERNEL(DI), Y11
	VBROADCASTSS ·part(SB), Y10
	VBROADCASTSS ·one(SB), Y9

eight:
	// By depth: Y8 says which are near enough, Y0 what the difference counts.
	PAIR(NEAR, Y0, Y1)
	VSUBPS Y1, Y0, Y2
	VANDPS Y15, Y2, Y2
	VMULPS Y14, Y2, Y2
	VMAXPS Y1, Y0, Y0
	VMULPS Y13, Y0, Y1
	VCMPPS $2, Y1, Y2, Y8
	VDIVPS Y0, Y2, Y0
	VMULPS Y0, Y0, Y0

	// By luminance.
	PAIR(LUMA, Y1, Y2)
	VSUBPS  Y2, Y1, Y1
	VANDPS  Y15, Y1, Y1
	MOVQ    SHARP(DI), AX
	VMULPS  (AX)(DX*1), Y1, Y1
	VADDPS  Y1, Y0, Y0

	// By normal: Y7.
	PAIR(NORMAL, Y1, Y2)
	VMULPS Y2, Y1, Y7
	PAIR((NORMAL+8), Y1, Y2)
	VMULPS Y2, Y1, Y1
	VADDPS Y1, Y7, Y7
	PAIR((NORMAL+16), Y1, Y2)
	VMULPS Y2, Y1, Y1
	VADDPS Y1, Y7, Y7

	// By albedo.
	PAIR(ALBEDO, Y1, Y2)
	VSUBPS Y2, Y1, Y6
	VANDPS Y15, Y6, Y6
	PAIR((ALBEDO+8), Y1, Y2)
	VSUBPS Y2, Y1, Y1
	VANDPS Y15, Y1, Y1
	VADDPS Y1, Y6, Y6
	PAIR((ALBEDO+16), Y1, Y2)
	VSUBPS Y2, Y1, Y1
	VANDPS Y15, Y1, Y1
	VADDPS Y1, Y6, Y6
	VMULPS Y6, Y6, Y6
	VBROADCASTSS ·tinted(SB), Y1
	VMULPS Y1, Y6, Y6
	VADDPS Y6, Y0, Y0

	VCMPPS $2, Y12, Y0, Y1
	VANDPS Y1, Y8, Y8
	VBROADCASTSS ·turned(SB), Y1
	VCMPPS $1, Y7, Y1, Y1
	VANDPS Y1, Y8, Y8

	VMULPS Y7, Y7, Y7
	VMULPS Y7, Y7, Y7
	VMULPS Y7, Y7, Y7
	VMULPS Y7, Y7, Y7
	VMULPS Y7, Y7, Y7
	VMULPS Y10, Y0, Y0
	VSUBPS Y0, Y9, Y0
	VMULPS Y0, Y0, Y0
	VMULPS Y0, Y0, Y0
	VMULPS Y0, Y0, Y0
	VMULPS Y0, Y0, Y0
	VMULPS Y0, Y0, Y0
	VMULPS Y0, Y7, Y7
	VMULPS Y11, Y7, Y7
	VANDPS Y8, Y7, Y7 // the weight

	MOVQ    WEIGHT(DI), AX
	VMOVUPS Y7, (AX)(DX*1)
	MORE(LIGHT, Y7)
	SUM(0)
	MORE((LIGHT+8), Y7)
	SUM(1)
	MORE((LIGHT+16), Y7)
	SUM(2)
	VMULPS  Y7, Y7, Y6
	MORE(VARIANCE, Y6)
	SUM(3)
	VMOVAPS Y7, Y3
	SUM(4)

	ADDQ $32, DX
	DECQ CX
	JNZ  eight
	VZEROUPPER
	RET
