#include "textflag.h"

// func dotTilesAVX2(weights *int8, x *int16, outputs, n int, sums *int32)
//
// For each output: widens 16 weights at a time to 16 bits and multiplies them
// with 16 numbers of each of the four rows; neighbouring products are added into
// 32 bits.
TEXT ·dotTilesAVX2(SB), NOSPLIT, $0-40
	MOVQ weights+0(FP), SI
	MOVQ x+8(FP), R8
	MOVQ outputs+16(FP), BX
	MOVQ n+24(FP), CX
	MOVQ sums+32(FP), DI
	LEAQ (R8)(CX*2), R9
	LEAQ (R9)(CX*2), R10
	LEAQ (R10)(CX*2), R11

output:
	VPXOR Y0, Y0, Y0
	VPXOR Y1, Y1, Y1
	VPXOR Y2, Y2, Y2
	VPXOR Y3, Y3, Y3
	XORQ AX, AX

loop:
	VPMOVSXBW (SI)(AX*1), Y4
	VPMADDWD (R8)(AX*2), Y4, Y5
	VPMADDWD (R9)(AX*2), Y4, Y6
	VPMADDWD (R10)(AX*2), Y4, Y7
	VPMADDWD (R11)(AX*2), Y4, Y8
	VPADDD Y5, Y0, Y0
	VPADDD Y6, Y1, Y1
	VPADDD Y7, Y2, Y2
	VPADDD Y8, Y3, Y3
	ADDQ $16, AX
	CMPQ AX, CX
	JLT  loop

	VPHADDD Y1, Y0, Y0
	VPHADDD Y3, Y2, Y2
	VPHADDD Y2, Y0, Y0
	VEXTRACTI128 $1, Y0, X1
	VPADDD X1, X0, X0
	VMOVDQU X0, (DI)
	ADDQ $16, DI
	ADDQ CX, SI
	DECQ BX
	JNZ  output
	VZEROUPPER
	RET

// func dotTilesVNNI(weights *int8, x *int16, outputs, n int, sums *int32)
//
// The same, 32 weights at a time, with products added up in one instruction.
TEXT ·dotTilesVNNI(SB), NOSPLIT, $0-40
	MOVQ weights+0(FP), SI
	MOVQ x+8(FP), R8
	MOVQ outputs+16(FP), BX
	MOVQ n+24(FP), CX
	MOVQ sums+32(FP), DI
	LEAQ (R8)(CX*2), R9
	LEAQ (R9)(CX*2), R10
	LEAQ (R10)(CX*2), R11

output:
	VPXORD Z0, Z0, Z0
	VPXORD Z1, Z1, Z1
	VPXORD Z2, Z2, Z2
	VPXORD Z3, Z3, Z3
	XORQ AX, AX

loop:
	VPMOVSXBW (SI)(AX*1), Z4
	VPDPWSSD (R8)(AX*2), Z4, Z0
	VPDPWSSD (R9)(AX*2), Z4, Z1
	VPDPWSSD (R10)(AX*2), Z4, Z2
	VPDPWSSD (R11)(AX*2), Z4, Z3
	ADDQ $32, AX
	CMPQ AX, CX
	JLT  loop

	VEXTRACTI64X4 $1, Z0, Y4
	VEXTRACTI64X4 $1, Z1, Y5
	VEXTRACTI64X4 $1, Z2, Y6
	VEXTRACTI64X4 $1, Z3, Y7
	VPADDD Y4, Y0, Y0
	VPADDD Y5, Y1, Y1
	VPADDD Y6, Y2, Y2
	VPADDD Y7, Y3, Y3
	VPHADDD Y1, Y0, Y0
	VPHADDD Y3, Y2, Y2
	VPHADDD Y2, Y0, Y0
	VEXTRACTI128 $1, Y0, X1
	VPADDD X1, X0, X0
	VMOVDQU X0, (DI)
	ADDQ $16, DI
	ADDQ CX, SI
	DECQ BX
	JNZ  output
	VZEROUPPER
	RET
