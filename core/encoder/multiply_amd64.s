#include "textflag.h"

// Two rows times four columns: what AX counts is bytes. Rows are at SI and DI,
// columns at R8 to R11; sums of the first row are in the registers 0 to 3, of the
// second in 4 to 7.

#define COLUMN(x, y, w, product, first, second) \
	VPMADDWD w, x, product          \
	VPADDD   product, first, first  \
	VPMADDWD w, y, product          \
	VPADDD   product, second, second

#define ARGUMENTS \
	MOVQ x+0(FP), SI       \
	MOVQ y+8(FP), DI       \
	MOVQ w+16(FP), R8      \
	MOVQ depth+24(FP), CX  \
	MOVQ out+32(FP), DX    \
	SHLQ $1, CX            \
	LEAQ (R8)(CX*1), R9    \
	LEAQ (R9)(CX*1), R10   \
	LEAQ (R10)(CX*1), R11  \
	XORQ AX, AX

// HALVE adds the upper half of a register to its lower one.
#define HALVE(y, x) \
	VEXTRACTI128 $1, y, X8 \
	VPADDD       X8, x, x

#define STORE \
	HALVE(Y0, X0) \
	HALVE(Y1, X1) \
	HALVE(Y2, X2) \
	HALVE(Y3, X3) \
	HALVE(Y4, X4) \
	HALVE(Y5, X5) \
	HALVE(Y6, X6) \
	HALVE(Y7, X7) \
	VPHADDD X1, X0, X0 \
	VPHADDD X3, X2, X2 \
	VPHADDD X2, X0, X0 \
	VPHADDD X5, X4, X4 \
	VPHADDD X7, X6, X6 \
	VPHADDD X6, X4, X4 \
	VMOVDQU X0, (DX)   \
	VMOVDQU X4, 16(DX) \
	VZEROUPPER

#define CLEAR(a) VPXOR a, a, a

#define CLEARALL \
	CLEAR(Y0) \
	CLEAR(Y1) \
	CLEAR(Y2) \
	CLEAR(Y3) \
	CLEAR(Y4) \
	CLEAR(Y5) \
	CLEAR(Y6) \
	CLEAR(Y7)

// func products256(x, y, w *int16, depth int, out *[8]int32)
TEXT ·products256(SB), NOSPLIT, $0-40
	ARGUMENTS
	CLEARALL

next256:
	VMOVDQU (SI)(AX*1), Y8
	VMOVDQU (DI)(AX*1), Y9
	VMOVDQU (R8)(AX*1), Y10
	COLUMN(Y8, Y9, Y10, Y11, Y0, Y4)
	VMOVDQU (R9)(AX*1), Y10
	COLUMN(Y8, Y9, Y10, Y11, Y1, Y5)
	VMOVDQU (R10)(AX*1), Y10
	COLUMN(Y8, Y9, Y10, Y11, Y2, Y6)
	VMOVDQU (R11)(AX*1), Y10
	COLUMN(Y8, Y9, Y10, Y11, Y3, Y7)
	ADDQ $32, AX
	CMPQ AX, CX
	JLT  next256
	STORE
	RET

// SPLIT adds the upper half of the widest register to its lower one.
#define SPLIT(z, y) \
	VEXTRACTI64X4 $1, z, Y8 \
	VPADDD        Y8, y, y

// func products512(x, y, w *int16, depth int, out *[8]int32)
TEXT ·products512(SB), NOSPLIT, $0-40
	ARGUMENTS
	CLEARALL

next512:
	VMOVDQU16 (SI)(AX*1), Z8
	VMOVDQU16 (DI)(AX*1), Z9
	VMOVDQU16 (R8)(AX*1), Z10
	COLUMN(Z8, Z9, Z10, Z11, Z0, Z4)
	VMOVDQU16 (R9)(AX*1), Z10
	COLUMN(Z8, Z9, Z10, Z11, Z1, Z5)
	VMOVDQU16 (R10)(AX*1), Z10
	COLUMN(Z8, Z9, Z10, Z11, Z2, Z6)
	VMOVDQU16 (R11)(AX*1), Z10
	COLUMN(Z8, Z9, Z10, Z11, Z3, Z7)
	ADDQ $64, AX
	CMPQ AX, CX
	JLT  next512
	SPLIT(Z0, Y0)
	SPLIT(Z1, Y1)
	SPLIT(Z2, Y2)
	SPLIT(Z3, Y3)
	SPLIT(Z4, Y4)
	SPLIT(Z5, Y5)
	SPLIT(Z6, Y6)
	SPLIT(Z7, Y7)
	STORE
	RET

// func dot256(a, b *float32, n int) float32
TEXT ·dot256(SB), NOSPLIT, $0-28
	MOVQ a+0(FP), SI
	MOVQ b+8(FP), DI
	MOVQ n+16(FP), CX
	XORQ AX, AX
	CLEAR(Y0)

nextdot:
	VMOVUPS     (SI)(AX*4), Y1
	VFMADD231PS (DI)(AX*4), Y1, Y0
	ADDQ        $8, AX
	CMPQ        AX, CX
	JLT         nextdot
	VEXTRACTF128 $1, Y0, X1
	VADDPS      X1, X0, X0
	VHADDPS     X0, X0, X0
	VHADDPS     X0, X0, X0
	MOVSS       X0, ret+24(FP)
	VZEROUPPER
	RET

// func addScaled256(to, from *float32, n int, by float32)
TEXT ·addScaled256(SB), NOSPLIT, $0-28
	MOVQ         to+0(FP), DI
	MOVQ         from+8(FP), SI
	MOVQ         n+16(FP), CX
	VBROADCASTSS by+24(FP), Y2
	XORQ         AX, AX

nextadd:
	VMOVUPS     (DI)(AX*4), Y0
	VFMADD231PS (SI)(AX*4), Y2, Y0
	VMOVUPS     Y0, (DI)(AX*4)
	ADDQ        $8, AX
	CMPQ        AX, CX
	JLT         nextadd
	VZEROUPPER
	RET
