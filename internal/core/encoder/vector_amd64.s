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
// The same, 32 weights at a time, with products added up in one instruction; of two outputs
// side by side, so that no sum waits for the one before it.
TEXT ·dotTilesVNNI(SB), NOSPLIT, $0-40
	MOVQ weights+0(FP), SI
	MOVQ x+8(FP), R8
	MOVQ outputs+16(FP), BX
	MOVQ n+24(FP), CX
	MOVQ sums+32(FP), DI
	LEAQ (R8)(CX*2), R9
	LEAQ (R9)(CX*2), R10
	LEAQ (R10)(CX*2), R11

outputs:
	VPXORD Z0, Z0, Z0
	VPXORD Z1, Z1, Z1
	VPXORD Z2, Z2, Z2
	VPXORD Z3, Z3, Z3
	XORQ AX, AX
	CMPQ BX, $2
	JLT  one

	LEAQ (SI)(CX*1), DX
	VPXORD Z8, Z8, Z8
	VPXORD Z9, Z9, Z9
	VPXORD Z10, Z10, Z10
	VPXORD Z11, Z11, Z11

two:
	VPMOVSXBW (SI)(AX*1), Z4
	VPMOVSXBW (DX)(AX*1), Z5
	VMOVDQU64 (R8)(AX*2), Z12
	VMOVDQU64 (R9)(AX*2), Z13
	VMOVDQU64 (R10)(AX*2), Z14
	VMOVDQU64 (R11)(AX*2), Z15
	VPDPWSSD Z12, Z4, Z0
	VPDPWSSD Z13, Z4, Z1
	VPDPWSSD Z14, Z4, Z2
	VPDPWSSD Z15, Z4, Z3
	VPDPWSSD Z12, Z5, Z8
	VPDPWSSD Z13, Z5, Z9
	VPDPWSSD Z14, Z5, Z10
	VPDPWSSD Z15, Z5, Z11
	ADDQ $32, AX
	CMPQ AX, CX
	JLT  two

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
	VEXTRACTI64X4 $1, Z8, Y4
	VEXTRACTI64X4 $1, Z9, Y5
	VEXTRACTI64X4 $1, Z10, Y6
	VEXTRACTI64X4 $1, Z11, Y7
	VPADDD Y4, Y8, Y8
	VPADDD Y5, Y9, Y9
	VPADDD Y6, Y10, Y10
	VPADDD Y7, Y11, Y11
	VPHADDD Y9, Y8, Y8
	VPHADDD Y11, Y10, Y10
	VPHADDD Y10, Y8, Y8
	VEXTRACTI128 $1, Y8, X9
	VPADDD X9, X8, X8
	VMOVDQU X8, 16(DI)
	ADDQ $32, DI
	LEAQ (SI)(CX*2), SI
	SUBQ $2, BX
	JNZ  outputs
	VZEROUPPER
	RET

one:
	VPMOVSXBW (SI)(AX*1), Z4
	VPDPWSSD (R8)(AX*2), Z4, Z0
	VPDPWSSD (R9)(AX*2), Z4, Z1
	VPDPWSSD (R10)(AX*2), Z4, Z2
	VPDPWSSD (R11)(AX*2), Z4, Z3
	ADDQ $32, AX
	CMPQ AX, CX
	JLT  one

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
	VZEROUPPER
	RET

// func largestAVX2(row *float32, n int) uint32
//
// The bits of the numbers without their signs sort as whole numbers do.
TEXT ·largestAVX2(SB), NOSPLIT, $0-20
	MOVQ row+0(FP), SI
	MOVQ n+8(FP), CX
	VPCMPEQD Y1, Y1, Y1
	VPSRLD $1, Y1, Y1
	VPXOR Y0, Y0, Y0

most:
	VPAND (SI), Y1, Y2
	VPAND 32(SI), Y1, Y3
	VPMAXSD Y2, Y0, Y0
	VPMAXSD Y3, Y0, Y0
	ADDQ $64, SI
	SUBQ $16, CX
	JG   most

	VEXTRACTI128 $1, Y0, X1
	VPMAXSD X1, X0, X0
	VPSHUFD $0x4E, X0, X1
	VPMAXSD X1, X0, X0
	VPSHUFD $0xB1, X0, X1
	VPMAXSD X1, X0, X0
	VMOVD X0, AX
	MOVL AX, ret+16(FP)
	VZEROUPPER
	RET

// func roundAVX2(row *float32, n int, factor, half float32, less int32, into *int16)
//
// Each number times factor, and half, cut to a whole number, less so much.
TEXT ·roundAVX2(SB), NOSPLIT, $0-40
	MOVQ row+0(FP), SI
	MOVQ n+8(FP), CX
	VBROADCASTSS factor+16(FP), Y4
	VBROADCASTSS half+20(FP), Y5
	MOVL less+24(FP), AX
	VMOVD AX, X6
	VPBROADCASTD X6, Y6
	MOVQ into+32(FP), DI

rounding:
	VMULPS (SI), Y4, Y0
	VMULPS 32(SI), Y4, Y1
	VADDPS Y5, Y0, Y0
	VADDPS Y5, Y1, Y1
	VCVTTPS2DQ Y0, Y0
	VCVTTPS2DQ Y1, Y1
	VPSUBD Y6, Y0, Y0
	VPSUBD Y6, Y1, Y1
	VPACKSSDW Y1, Y0, Y0
	VPERMQ $0xD8, Y0, Y0
	VMOVDQU Y0, (DI)
	ADDQ $64, SI
	ADDQ $32, DI
	SUBQ $16, CX
	JG   rounding
	VZEROUPPER
	RET

// func blendAVX2(weights *float32, n int, of *float32, stride int, into *float32, width int)
//
// Sixteen columns at a time; products are rounded before they are added, as in plain Go.
TEXT ·blendAVX2(SB), NOSPLIT, $0-48
	MOVQ weights+0(FP), R8
	MOVQ n+8(FP), R9
	MOVQ of+16(FP), SI
	MOVQ stride+24(FP), R10
	SHLQ $2, R10
	MOVQ into+32(FP), DI
	MOVQ width+40(FP), CX

columns:
	VMOVUPS (DI), Y0
	VMOVUPS 32(DI), Y1
	MOVQ R8, AX
	MOVQ R9, BX
	MOVQ SI, DX

row:
	VBROADCASTSS (AX), Y2
	VMULPS (DX), Y2, Y3
	VMULPS 32(DX), Y2, Y4
	VADDPS Y3, Y0, Y0
	VADDPS Y4, Y1, Y1
	ADDQ $4, AX
	ADDQ R10, DX
	DECQ BX
	JNZ  row

	VMOVUPS Y0, (DI)
	VMOVUPS Y1, 32(DI)
	ADDQ $64, SI
	ADDQ $64, DI
	SUBQ $16, CX
	JG   columns
	VZEROUPPER
	RET

// func dotAVX2(a, b *float32, n int, sums *float32)
//
// Products are rounded before they are added, as in plain Go.
TEXT ·dotAVX2(SB), NOSPLIT, $0-32
	MOVQ a+0(FP), SI
	MOVQ b+8(FP), DX
	MOVQ n+16(FP), CX
	MOVQ sums+24(FP), DI
	VXORPS Y0, Y0, Y0
	VXORPS Y1, Y1, Y1

along:
	VMOVUPS (SI), Y2
	VMOVUPS 32(SI), Y3
	VMULPS (DX), Y2, Y2
	VMULPS 32(DX), Y3, Y3
	VADDPS Y2, Y0, Y0
	VADDPS Y3, Y1, Y1
	ADDQ $64, SI
	ADDQ $64, DX
	SUBQ $16, CX
	JG   along

	VMOVUPS Y0, (DI)
	VMOVUPS Y1, 32(DI)
	VZEROUPPER
	RET

// func settleAVX2(sums *int32, n int, ofRows, scales, biases, into *float32, stride int)
//
// Four outputs at a time: their sums for four rows are turned into four rows of outputs.
TEXT ·settleAVX2(SB), NOSPLIT, $0-56
	MOVQ sums+0(FP), SI
	MOVQ n+8(FP), CX
	MOVQ ofRows+16(FP), AX
	MOVQ scales+24(FP), R8
	MOVQ biases+32(FP), R9
	MOVQ into+40(FP), DI
	MOVQ stride+48(FP), R10
	SHLQ $2, R10
	LEAQ (DI)(R10*1), R11
	LEAQ (R11)(R10*1), R12
	LEAQ (R12)(R10*1), R13
	VBROADCASTSS (AX), X8
	VBROADCASTSS 4(AX), X9
	VBROADCASTSS 8(AX), X10
	VBROADCASTSS 12(AX), X11
	XORQ AX, AX

four:
	VCVTDQ2PS (SI), X0
	VCVTDQ2PS 16(SI), X1
	VCVTDQ2PS 32(SI), X2
	VCVTDQ2PS 48(SI), X3
	VUNPCKLPS X1, X0, X4
	VUNPCKHPS X1, X0, X5
	VUNPCKLPS X3, X2, X6
	VUNPCKHPS X3, X2, X7
	VUNPCKLPD X6, X4, X0
	VUNPCKHPD X6, X4, X1
	VUNPCKLPD X7, X5, X2
	VUNPCKHPD X7, X5, X3
	VMOVUPS (R8)(AX*1), X12
	VMOVUPS (R9)(AX*1), X13
	VMULPS X8, X0, X0
	VMULPS X9, X1, X1
	VMULPS X10, X2, X2
	VMULPS X11, X3, X3
	VMULPS X12, X0, X0
	VMULPS X12, X1, X1
	VMULPS X12, X2, X2
	VMULPS X12, X3, X3
	VADDPS X13, X0, X0
	VADDPS X13, X1, X1
	VADDPS X13, X2, X2
	VADDPS X13, X3, X3
	VMOVUPS X0, (DI)(AX*1)
	VMOVUPS X1, (R11)(AX*1)
	VMOVUPS X2, (R12)(AX*1)
	VMOVUPS X3, (R13)(AX*1)
	ADDQ $64, SI
	ADDQ $16, AX
	SUBQ $4, CX
	JG   four
	VZEROUPPER
	RET

// func expsAVX2(x *float32, n int, parts *float64, into *float32)
//
// Four at a time, step by step as exp does. The whole powers of two are those of the exponent.
TEXT ·expsAVX2(SB), NOSPLIT, $0-32
	MOVQ x+0(FP), SI
	MOVQ n+8(FP), CX
	MOVQ parts+16(FP), AX
	MOVQ into+24(FP), DI
	VBROADCASTSD (AX), Y8     // the most
	VBROADCASTSD 8(AX), Y9    // the least
	VBROADCASTSD 16(AX), Y10  // log2 e
	VBROADCASTSD 24(AX), Y11  // a half
	VBROADCASTSD 32(AX), Y12  // ln 2, high
	VBROADCASTSD 40(AX), Y13  // and low
	MOVQ $1023, DX
	VMOVQ DX, X14
	VPBROADCASTQ X14, Y14

power:
	VCVTPS2PD (SI), Y0
	VCMPPD $13, Y9, Y0, Y1    // at least the least, and a number
	VMINPD Y8, Y0, Y0
	VMULPD Y10, Y0, Y2
	VADDPD Y11, Y2, Y2
	VROUNDPD $9, Y2, Y2       // down
	VMULPD Y12, Y2, Y3
	VSUBPD Y3, Y0, Y3
	VMULPD Y13, Y2, Y4
	VSUBPD Y4, Y3, Y3         // the rest
	VBROADCASTSD 48(AX), Y5
	VMULPD Y3, Y5, Y5
	VBROADCASTSD 56(AX), Y6
	VADDPD Y6, Y5, Y5
	VMULPD Y3, Y5, Y5
	VBROADCASTSD 64(AX), Y6
	VADDPD Y6, Y5, Y5
	VMULPD Y3, Y5, Y5
	VBROADCASTSD 72(AX), Y6
	VADDPD Y6, Y5, Y5
	VMULPD Y3, Y5, Y5
	VBROADCASTSD 80(AX), Y6
	VADDPD Y6, Y5, Y5
	VMULPD Y3, Y5, Y5
	VBROADCASTSD 88(AX), Y6
	VADDPD Y6, Y5, Y5
	VMULPD Y3, Y5, Y5
	VBROADCASTSD 96(AX), Y6
	VADDPD Y6, Y5, Y5
	VMULPD Y3, Y5, Y5
	VBROADCASTSD 104(AX), Y6
	VADDPD Y6, Y5, Y5
	VCVTPD2DQY Y2, X2
	VPMOVSXDQ X2, Y2
	VPADDQ Y14, Y2, Y2
	VPSLLQ $52, Y2, Y2
	VMULPD Y2, Y5, Y5
	VANDPD Y1, Y5, Y5
	VCVTPD2PSY Y5, X5
	VMOVUPS X5, (DI)
	ADDQ $16, SI
	ADDQ $16, DI
	SUBQ $4, CX
	JG   power
	VZEROUPPER
	RET

// func contrastAVX2(a, b *float32, n int, into *float32)
TEXT ·contrastAVX2(SB), NOSPLIT, $0-32
	MOVQ a+0(FP), SI
	MOVQ b+8(FP), DX
	MOVQ n+16(FP), CX
	MOVQ into+24(FP), DI
	LEAQ (DI)(CX*4), R8
	VPCMPEQD Y4, Y4, Y4
	VPSRLD $1, Y4, Y4         // all but the sign

pair:
	VMOVUPS (SI), Y0
	VMOVUPS (DX), Y1
	VMULPS Y1, Y0, Y2
	VSUBPS Y1, Y0, Y3
	VANDPS Y4, Y3, Y3
	VMOVUPS Y2, (DI)
	VMOVUPS Y3, (R8)
	ADDQ $32, SI
	ADDQ $32, DX
	ADDQ $32, DI
	ADDQ $32, R8
	SUBQ $8, CX
	JG   pair
	VZEROUPPER
	RET

// func raiseAVX2(of *float32, n, stride int, into *float32, width int)
TEXT ·raiseAVX2(SB), NOSPLIT, $0-40
	MOVQ of+0(FP), SI
	MOVQ n+8(FP), R9
	MOVQ stride+16(FP), R10
	SHLQ $2, R10
	MOVQ into+24(FP), DI
	MOVQ width+32(FP), CX

column:
	VMOVUPS (DI), Y0
	MOVQ R9, BX
	MOVQ SI, DX

down:
	VMAXPS (DX), Y0, Y0
	ADDQ R10, DX
	DECQ BX
	JNZ  down

	VMOVUPS Y0, (DI)
	ADDQ $32, SI
	ADDQ $32, DI
	SUBQ $8, CX
	JG   column
	VZEROUPPER
	RET

// func floorAVX2(x *float32, n int)
TEXT ·floorAVX2(SB), NOSPLIT, $0-16
	MOVQ x+0(FP), SI
	MOVQ n+8(FP), CX
	VXORPS Y1, Y1, Y1

eight:
	VMAXPS (SI), Y1, Y0
	VMOVUPS Y0, (SI)
	ADDQ $32, SI
	SUBQ $8, CX
	JG   eight
	VZEROUPPER
	RET
