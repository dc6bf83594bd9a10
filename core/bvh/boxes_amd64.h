// Where the fields of Node and Ray lie; a test holds them against the types.
#define ORIGIN 56
#define SCALE 68
#define CHILD 80
#define O 0
#define D 12
#define INV 24
#define T 36
#define MIN 40
#define NEAR 44

// AXIS narrows where boxes are entered, Y6, and left, Y7, by another axis.
#define AXIS(lane, row) \
	VPERMILPS    lane, X0, X8 \
	VPERMILPS    lane, X2, X9 \
	VBROADCASTSS X8, Y4 \
	VBROADCASTSS X9, Y5 \
	VPMOVZXBD (AX)(row*1), Y8 \
	XORL $8, row \
	VCVTDQ2PS Y8, Y8 \
	VPMOVZXBD (AX)(row*1), Y9 \
	VFMADD213PS Y5, Y4, Y8 \
	VCVTDQ2PS Y9, Y9 \
	XORL $8, row \
	VFMADD213PS Y5, Y4, Y9 \
	VMAXPS Y8, Y6, Y6 \
	VMINPS Y9, Y7, Y7

// BOXES tests the eight boxes of the node at AX: on the grid a box's side is met at t = q*a + b. Of what it takes CX, DX
// and SI are where the rows of the sides that are met first begin, X12 one over the direction, X11 the origin, Y13 the
// least way, Y14 the nearest hit, Y15 the padding. Bit k of BX says that box k is met, Y6 where. A box is met if it is
// entered before it is left, and before the nearest hit. (The scale is read from one number before: what lies behind it
// is no number, and slow to multiply.)
#define BOXES \
	VMOVUPS (SCALE-4)(AX), X0 \
	VPERMILPS $0x39, X0, X0 \
	VMULPS X12, X0, X0 \
	VMOVUPS ORIGIN(AX), X2 \
	VSUBPS X11, X2, X2 \
	VMULPS X12, X2, X2 \
	LEAQ (AX)(CX*1), BX \
	VBROADCASTSS X0, Y4 \
	VBROADCASTSS X2, Y5 \
	VPMOVZXBD (BX), Y6 \
	XORL $8, CX \
	VCVTDQ2PS Y6, Y6 \
	VPMOVZXBD (AX)(CX*1), Y7 \
	VFMADD213PS Y5, Y4, Y6 \
	VCVTDQ2PS Y7, Y7 \
	XORL $8, CX \
	VFMADD213PS Y5, Y4, Y7 \
	AXIS($0x55, DX) \
	AXIS($0xaa, SI) \
	VMAXPS    Y13, Y6, Y6 \
	VMULPS    Y15, Y7, Y7 \
	VCMPPS    $2, Y7, Y6, Y7 \
	VCMPPS    $1, Y14, Y6, Y8 \
	VANDPS    Y8, Y7, Y7 \
	VMOVMSKPS Y7, BX
