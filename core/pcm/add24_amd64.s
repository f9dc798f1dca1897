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
