#include "textflag.h"

// func apart512(signs *uint64, n int, from *uint64, into *uint16)
TEXT ·apart512(SB), NOSPLIT, $0-32
	MOVQ signs+0(FP), SI
	MOVQ n+8(FP), CX
	MOVQ from+16(FP), DI
	MOVQ into+24(FP), DX

next:
	MOVQ (SI), AX
	MOVQ 8(SI), BX
	MOVQ 16(SI), R8
	MOVQ 24(SI), R9
	XORQ (DI), AX
	XORQ 8(DI), BX
	XORQ 16(DI), R8
	XORQ 24(DI), R9
	POPCNTQ AX, AX
	POPCNTQ BX, BX
	POPCNTQ R8, R8
	POPCNTQ R9, R9
	ADDQ BX, AX
	ADDQ R9, R8
	ADDQ R8, AX
	MOVQ 32(SI), BX
	MOVQ 40(SI), R8
	MOVQ 48(SI), R9
	MOVQ 56(SI), R10
	XORQ 32(DI), BX
	XORQ 40(DI), R8
	XORQ 48(DI), R9
	XORQ 56(DI), R10
	POPCNTQ BX, BX
	POPCNTQ R8, R8
	POPCNTQ R9, R9
	POPCNTQ R10, R10
	ADDQ R8, BX
	ADDQ R10, R9
	ADDQ BX, AX
	ADDQ R9, AX
	MOVW AX, (DX)
	ADDQ $64, SI
	ADDQ $2, DX
	DECQ CX
	JNZ  next
	RET

// func productsAVX2(nibbles *byte, n int, low, high *int8) int32
//
// 32 bytes at a time: two halves of a byte times a number of 8 bits each, and their neighbours',
// add up to less than 2^13.
TEXT ·productsAVX2(SB), NOSPLIT, $0-36
	MOVQ nibbles+0(FP), SI
	MOVQ n+8(FP), CX
	MOVQ low+16(FP), R8
	MOVQ high+24(FP), R9
	VPCMPEQW Y5, Y5, Y5
	VPSRLW $15, Y5, Y6     // ones
	VPSRLW $12, Y5, Y7
	VPSLLW $8, Y7, Y5
	VPOR Y5, Y7, Y7        // the low half of each byte
	VPXOR Y0, Y0, Y0
	XORQ AX, AX

more:
	VMOVDQU (SI)(AX*1), Y1
	VPSRLW $4, Y1, Y2
	VPAND Y7, Y1, Y1
	VPAND Y7, Y2, Y2
	VPMADDUBSW (R8)(AX*1), Y1, Y3
	VPMADDUBSW (R9)(AX*1), Y2, Y4
	VPADDW Y4, Y3, Y3
	VPMADDWD Y6, Y3, Y3
	VPADDD Y3, Y0, Y0
	ADDQ $32, AX
	CMPQ AX, CX
	JLT  more

	VEXTRACTI128 $1, Y0, X1
	VPADDD X1, X0, X0
	VPSHUFD $0x4E, X0, X1
	VPADDD X1, X0, X0
	VPSHUFD $0xB1, X0, X1
	VPADDD X1, X0, X0
	VMOVD X0, AX
	MOVL AX, ret+32(FP)
	VZEROUPPER
	RET
