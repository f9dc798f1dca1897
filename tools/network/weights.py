"""Writes the weights of Silero VAD, as core/listen/speech/network reads them, from its ONNX file:

    npm pack @ricky0123/vad-web && tar xzf ricky0123-vad-web-*.tgz
    python3 tools/network/weights.py package/dist/silero_vad_v6.onnx > core/listen/speech/network/silero_vad_v6.f32

It needs Debian's python3-onnx. The file holds 32-bit floats, lowest byte first, one tensor after the other in the
order of TENSORS, each row by row. The Fourier basis is left out, for it is a Hann window's; that is checked.
"""

import sys

import numpy
import onnx
from onnx import numpy_helper

TENSORS = [
    ("encoder.0.reparam_conv.weight", (128, 129, 3)),
    ("encoder.0.reparam_conv.bias", (128,)),
    ("encoder.1.reparam_conv.weight", (64, 128, 3)),
    ("encoder.1.reparam_conv.bias", (64,)),
    ("encoder.2.reparam_conv.weight", (64, 64, 3)),
    ("encoder.2.reparam_conv.bias", (64,)),
    ("encoder.3.reparam_conv.weight", (128, 64, 3)),
    ("encoder.3.reparam_conv.bias", (128,)),
    ("decoder.rnn.weight_ih", (512, 128)),
    ("decoder.rnn.weight_hh", (512, 128)),
    ("decoder.rnn.bias_ih", (512,)),
    ("decoder.rnn.bias_hh", (512,)),
    ("decoder.decoder.2.weight", (1, 128, 1)),
    ("decoder.decoder.2.bias", (1,)),
]
BRANCH = "If_0_then_branch__Inline_0__"  # the network for 16 kHz


def constants(graph):
    """All constant tensors of a graph and of the branches within it, by name."""
    found = {}
    for node in graph.node:
        for attribute in node.attribute:
            if attribute.type == onnx.AttributeProto.GRAPH:
                found.update(constants(attribute.g))
            elif node.op_type == "Constant" and attribute.type == onnx.AttributeProto.TENSOR:
                found[node.output[0]] = numpy_helper.to_array(attribute.t)
    return found


def hann_basis():
    """The real and imaginary parts of a Fourier transform of 256 samples under a periodic Hann window."""
    n, k = numpy.arange(256), numpy.arange(129)[:, None]
    window = 0.5 - 0.5 * numpy.cos(2 * numpy.pi * n / 256)
    angle = 2 * numpy.pi * k * n / 256
    return numpy.concatenate([window * numpy.cos(angle), -window * numpy.sin(angle)])


def main():
    if len(sys.argv) != 2:
        sys.exit("usage: weights.py MODEL.onnx > WEIGHTS.f32")
    found = constants(onnx.load(sys.argv[1]).graph)
    basis = found[BRANCH + "stft.forward_basis_buffer"].reshape(258, 256)
    if abs(basis - hann_basis()).max() > 1e-6:
        sys.exit(f"{sys.argv[1]}: its Fourier basis is not that of a Hann window")
    for name, shape in TENSORS:
        tensor = found[BRANCH + name]
        if tensor.shape != shape:
            sys.exit(f"{sys.argv[1]}: {name} has the shape {tensor.shape}, not {shape}")
        sys.stdout.buffer.write(tensor.astype("<f4").tobytes())


main()
