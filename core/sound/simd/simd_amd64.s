#include "textflag.h"

// func addPairs24(left, right *float64, src *byte, pairs int, scale float64)
//
// Two pairs a turn, with SSE2, which every amd64 has. A pair is six bytes, left then right, lowest byte first; eight are
// loaded. Each 24-bit sample goes to the upper bytes of 32, so that its sign is theirs; scale takes the 2^8 out again.
TEXT ·addPairs24(SB), NOSPLIT, $0-40
	MOVQ left+0(FP), DI
	MOVQ right+8(FP), SI
	MOVQ src+16(FP), DX
	MOVQ pairs+24(FP), CX
	MOVSD scale+32(FP), X7
	UNPCKLPD X7, X7
	PCMPEQL X6, X6
	PSLLL $8, X6          // 0xFFFFFF00 in each lane

loop:
	MOVQ (DX), X0
	MOVQ 6(DX), X1
	MOVO X0, X2
	MOVO X1, X3
	PUNPCKLLQ X1, X0      // lower halves of both pairs side by side
	PSLLL $8, X0          // left samples
	PSRLQ $16, X2
	PSRLQ $16, X3
	PUNPCKLLQ X3, X2
	PAND X6, X2           // right samples
	CVTPL2PD X0, X0
	CVTPL2PD X2, X2
	MULPD X7, X0
	MULPD X7, X2
	MOVUPD (DI), X4
	MOVUPD (SI), X5
	ADDPD X0, X4
	ADDPD X2, X5
	MOVUPD X4, (DI)
	MOVUPD X5, (SI)
	ADDQ $12, DX
	ADDQ $16, DI
	ADDQ $16, SI
	SUBQ $2, CX
	JG loop
	RET

// func hasAVX2() bool
//
// Intel, "Intel 64 and IA-32 Architectures Software Developer's Manual", volume 1, 14.3: the processor has AVX and AVX2, and
// the operating system keeps their registers.
TEXT ·hasAVX2(SB), NOSPLIT, $0-1
	MOVB $0, ret+0(FP)
	MOVL $1, AX
	XORL CX, CX
	CPUID
	ANDL $0x18000000, CX  // OSXSAVE and AVX
	CMPL CX, $0x18000000
	JNE  no
	XORL CX, CX
	XGETBV
	ANDL $6, AX
	CMPL AX, $6
	JNE  no
	MOVL $7, AX
	XORL CX, CX
	CPUID
	ANDL $0x20, BX        // AVX2
	JZ   no
	MOVB $1, ret+0(FP)
no:
	RET

// Expands four pairs of 24 bits, two in each half, to left left right right of 32 bits, the sample in the upper three bytes.
DATA expand24<>+0(SB)/8, $0x0807068002010080
DATA expand24<>+8(SB)/8, $0x0B0A098005040380
DATA expand24<>+16(SB)/8, $0x0807068002010080
DATA expand24<>+24(SB)/8, $0x0B0A098005040380
GLOBL expand24<>(SB), RODATA|NOPTR, $32

// func addQuads24(left, right *float64, src *byte, pairs int, scale float64)
//
// As addPairs24, four pairs a turn with AVX2.
TEXT ·addQuads24(SB), NOSPLIT, $0-40
	MOVQ left+0(FP), DI
	MOVQ right+8(FP), SI
	MOVQ src+16(FP), DX
	MOVQ pairs+24(FP), CX
	VBROADCASTSD scale+32(FP), Y7
	VMOVDQU expand24<>(SB), Y6

quads:
	VMOVDQU (DX), X0
	VINSERTI128 $1, 12(DX), Y0, Y0
	VPSHUFB Y6, Y0, Y0
	VPERMQ $0xD8, Y0, Y0  // all left, all right
	VEXTRACTI128 $1, Y0, X1
	VCVTDQ2PD X0, Y0
	VCVTDQ2PD X1, Y1
	VMULPD Y7, Y0, Y0
	VMULPD Y7, Y1, Y1
	VADDPD (DI), Y0, Y0
	VADDPD (SI), Y1, Y1
	VMOVUPD Y0, (DI)
	VMOVUPD Y1, (SI)
	ADDQ $24, DX
	ADDQ $32, DI
	ADDQ $32, SI
	SUBQ $4, CX
	JG quads
	VZEROUPPER
	RET

// Packs the lower three bytes of four numbers of 32 bits.
DATA pack24<>+0(SB)/8, $0x0908060504020100
DATA pack24<>+8(SB)/8, $0x808080800E0D0C0A
GLOBL pack24<>(SB), RODATA|NOPTR, $16

// func encodeQuads24(out *byte, left, right *float64, pairs int) (done int)
//
// Four pairs a turn with AVX2: rounded down from half a step above, and packed. It ends ahead of the first four that hold a
// sample outside the range. Four bytes beyond the last pair are written.
TEXT ·encodeQuads24(SB), NOSPLIT, $0-40
	MOVQ out+0(FP), DI
	MOVQ left+8(FP), SI
	MOVQ right+16(FP), DX
	MOVQ pairs+24(FP), CX
	XORQ BX, BX
	MOVQ $0x4160000000000000, AX // 2^23
	MOVQ AX, X7
	VBROADCASTSD X7, Y7
	MOVQ $0x3FE0000000000000, AX // 1/2
	MOVQ AX, X6
	VBROADCASTSD X6, Y6
	MOVQ $0xC160000000000000, AX // -2^23
	MOVQ AX, X5
	VBROADCASTSD X5, Y5
	VMOVDQU pack24<>(SB), X4

packs:
	VMULPD (SI), Y7, Y0
	VMULPD (DX), Y7, Y1
	VADDPD Y6, Y0, Y0
	VADDPD Y6, Y1, Y1
	VCMPPD $0x11, Y7, Y0, Y2 // below 2^23, false for what is no number
	VCMPPD $0x1D, Y5, Y0, Y3 // at least -2^23
	VANDPD Y3, Y2, Y2
	VCMPPD $0x11, Y7, Y1, Y3
	VANDPD Y3, Y2, Y2
	VCMPPD $0x1D, Y5, Y1, Y3
	VANDPD Y3, Y2, Y2
	VMOVMSKPD Y2, AX
	CMPL AX, $15
	JNE  packed
	VROUNDPD $9, Y0, Y0
	VROUNDPD $9, Y1, Y1
	VCVTTPD2DQY Y0, X0
	VCVTTPD2DQY Y1, X1
	VPUNPCKLDQ X1, X0, X2
	VPUNPCKHDQ X1, X0, X3
	VPSHUFB X4, X2, X2
	VPSHUFB X4, X3, X3
	VMOVDQU X2, (DI)
	VMOVDQU X3, 12(DI)
	ADDQ $32, SI
	ADDQ $32, DX
	ADDQ $24, DI
	ADDQ $4, BX
	SUBQ $4, CX
	JG packs
packed:
	VZEROUPPER
	MOVQ BX, done+32(FP)
	RET

// func peakOf16s(v *float64, n int) float64
//
// The largest magnitude of n numbers, a multiple of 16 above 0.
TEXT ·peakOf16s(SB), NOSPLIT, $0-24
	MOVQ v+0(FP), SI
	MOVQ n+8(FP), CX
	VPCMPEQD Y7, Y7, Y7
	VPSRLQ $1, Y7, Y7     // all but the sign
	VXORPD Y0, Y0, Y0
	VXORPD Y1, Y1, Y1
	VXORPD Y2, Y2, Y2
	VXORPD Y3, Y3, Y3

peaks:
	VANDPD (SI), Y7, Y4
	VANDPD 32(SI), Y7, Y5
	VMAXPD Y0, Y4, Y0
	VMAXPD Y1, Y5, Y1
	VANDPD 64(SI), Y7, Y4
	VANDPD 96(SI), Y7, Y5
	VMAXPD Y2, Y4, Y2
	VMAXPD Y3, Y5, Y3
	ADDQ $128, SI
	SUBQ $16, CX
	JG peaks
	VMAXPD Y1, Y0, Y0
	VMAXPD Y3, Y2, Y2
	VMAXPD Y2, Y0, Y0
	VEXTRACTF128 $1, Y0, X1
	VMAXPD X1, X0, X0
	VPERMILPD $1, X0, X1
	VMAXSD X1, X0, X0
	VZEROUPPER
	MOVSD X0, ret+16(FP)
	RET

// func reach16(v *float64, large, small, even, limit float64) (mask int)
//
// See Reach. Of sixteen points four a turn: the larger and the smaller of the samples beside each.
TEXT ·reach16(SB), NOSPLIT, $0-48
	MOVQ v+0(FP), SI
	VBROADCASTSD large+8(FP), Y8
	VBROADCASTSD small+16(FP), Y9
	VBROADCASTSD even+24(FP), Y10
	VBROADCASTSD limit+32(FP), Y11
	VPCMPEQD Y7, Y7, Y7
	VPSRLQ $1, Y7, Y7
	XORQ BX, BX
	XORQ CX, CX

reaches:
	VANDPD (SI), Y7, Y0
	VANDPD 8(SI), Y7, Y1
	VMAXPD Y0, Y1, Y2
	VMINPD Y0, Y1, Y3
	VADDPD Y0, Y1, Y4
	VMULPD Y8, Y2, Y2
	VMULPD Y9, Y3, Y3
	VADDPD Y3, Y2, Y2
	VMULPD Y10, Y4, Y4
	VMAXPD Y4, Y2, Y2
	VCMPPD $0x1E, Y11, Y2, Y2 // above the limit
	VMOVMSKPD Y2, AX
	SHLQ CX, AX
	ORQ  AX, BX
	ADDQ $32, SI
	ADDQ $4, CX
	CMPQ CX, $16
	JLT  reaches
	VZEROUPPER
	MOVQ BX, mask+40(FP)
	RET

// func round32s(v *float64, n int)
//
// To 32 bits and back, eight a turn, by the rounding that the processor is set to, which is to the nearest.
TEXT ·round32s(SB), NOSPLIT, $0-16
	MOVQ v+0(FP), SI
	MOVQ n+8(FP), CX

rounds:
	VCVTPD2PSY (SI), X0
	VCVTPD2PSY 32(SI), X1
	VCVTPS2PD X0, Y0
	VCVTPS2PD X1, Y1
	VMOVUPD Y0, (SI)
	VMOVUPD Y1, 32(SI)
	ADDQ $64, SI
	SUBQ $8, CX
	JG rounds
	VZEROUPPER
	RET

// func dots4(sums *[4]float32, x, y *float32, n, step int)
//
// Sixteen numbers of four rows a turn, each product rounded before it is added.
TEXT ·dots4(SB), NOSPLIT, $0-40
	MOVQ sums+0(FP), DI
	MOVQ x+8(FP), SI
	MOVQ y+16(FP), R8
	MOVQ n+24(FP), CX
	MOVQ step+32(FP), DX
	SHLQ $2, DX
	LEAQ (R8)(DX*1), R9
	LEAQ (R9)(DX*1), R10
	LEAQ (R10)(DX*1), R11
	VXORPS Y0, Y0, Y0
	VXORPS Y1, Y1, Y1
	VXORPS Y2, Y2, Y2
	VXORPS Y3, Y3, Y3
	VXORPS Y9, Y9, Y9
	VXORPS Y10, Y10, Y10
	VXORPS Y11, Y11, Y11
	VXORPS Y12, Y12, Y12
	XORQ AX, AX

dots:
	VMOVUPS (SI)(AX*4), Y4
	VMULPS (R8)(AX*4), Y4, Y5
	VMULPS (R9)(AX*4), Y4, Y6
	VMULPS (R10)(AX*4), Y4, Y7
	VMULPS (R11)(AX*4), Y4, Y8
	VADDPS Y5, Y0, Y0
	VADDPS Y6, Y1, Y1
	VADDPS Y7, Y2, Y2
	VADDPS Y8, Y3, Y3
	VMOVUPS 32(SI)(AX*4), Y4
	VMULPS 32(R8)(AX*4), Y4, Y5
	VMULPS 32(R9)(AX*4), Y4, Y6
	VMULPS 32(R10)(AX*4), Y4, Y7
	VMULPS 32(R11)(AX*4), Y4, Y8
	VADDPS Y5, Y9, Y9
	VADDPS Y6, Y10, Y10
	VADDPS Y7, Y11, Y11
	VADDPS Y8, Y12, Y12
	ADDQ $16, AX
	CMPQ AX, CX
	JLT  dots
	VADDPS Y9, Y0, Y0
	VADDPS Y10, Y1, Y1
	VADDPS Y11, Y2, Y2
	VADDPS Y12, Y3, Y3

	// (0+4 2+6) and (1+5 3+7) of each row
	VEXTRACTF128 $1, Y0, X4
	VADDPS X4, X0, X0
	VEXTRACTF128 $1, Y1, X5
	VADDPS X5, X1, X1
	VEXTRACTF128 $1, Y2, X6
	VADDPS X6, X2, X2
	VEXTRACTF128 $1, Y3, X7
	VADDPS X7, X3, X3
	VUNPCKLPS X1, X0, X4  // row 0 and 1: 0 0 1 1
	VUNPCKHPS X1, X0, X5  //              2 2 3 3
	VADDPS X5, X4, X4     //              0+2 of row 0, of row 1, 1+3 of row 0, of row 1
	VUNPCKLPS X3, X2, X6
	VUNPCKHPS X3, X2, X7
	VADDPS X7, X6, X6
	VMOVLHPS X6, X4, X0   // 0+2 of all rows
	VMOVHLPS X4, X6, X1   // 1+3 of all rows
	VADDPS X1, X0, X0
	VMOVUPS X0, (DI)
	VZEROUPPER
	RET
