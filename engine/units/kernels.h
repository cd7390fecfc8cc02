// SPDX-License-Identifier: GPL-3.0-or-later
// The units of the network as one operation each (layer norm, products, gates, residual), forward and
// backward, tile by tile, so that what belongs together stays in a core's own cache. Plain pointers and no
// torch: the same source is compiled for AVX-512, AVX2 and plain SSE2, and the program takes the fastest that
// the machine has. With AVX-512 VNNI, splitting multiplies whole numbers.
//
// Shapes are row-major float32. Positions are rows of `width` features. width, hidden and inner are multiples
// of 16. Everything here is one thread's work; different threads may call at the same time.
#pragma once

#include <array>
#include <cstdint>
#include <limits>
#include <vector>

namespace rivlen::units {

using Size = std::int64_t;

// Sequences through rows: outer x inner of them, each `steps` long. Sequence (o, i) has at step t the row
// o outer_stride + t step_stride + i (in rows).
struct Sequences {
    Size outer = 1, steps = 1, inner = 1;
    Size outer_stride = 0, step_stride = 0;
    [[nodiscard]] Size count() const { return outer * inner; }
};

// Steps [begin, end) of sequences; all of them unless it says less. Both are ends of windows or of the
// sequences.
struct Steps {
    Size begin = 0;
    Size end = std::numeric_limits<Size>::max();
};

// How far a recurrence looks: it runs in windows (recurrent() in operations.h).
struct Reach {
    Size window = 0;   // steps; 0 or at least the number of steps: one window, without end
    Size overlap = 0;  // last steps of a window, in which the state of the next one warms up; 0, or more: all
};

// Layer norm (Ba et al. 2016) with weight and bias, epsilon 1e-5.
template <typename Float>
struct Norm {
    Float* weight = nullptr;  // [width]
    Float* bias = nullptr;
};
// One direction of a gated recurrence (that of torch::nn::GRU: h' = n + z (h - n) with reset gate r, update
// gate z and candidate n).
template <typename Float>
struct Gru {
    Float* weight_ih = nullptr;  // [3 hidden, width]
    Float* weight_hh = nullptr;  // [3 hidden, hidden]
    Float* bias_ih = nullptr;    // [3 hidden]
    Float* bias_hh = nullptr;
};
// x + out(recurrence(norm(x))).
template <typename Float>
struct Recurrent {
    Size width = 0, hidden = 0;
    Norm<Float> norm;
    std::array<Gru<Float>, 2> gru;  // forward, backward
    Float* out_weight = nullptr;    // [width, 2 hidden]
    Float* out_bias = nullptr;      // [width]
};
// x + out(max(0, up(norm(x)))).
template <typename Float>
struct Perceptron {
    Size width = 0, inner = 0;
    Norm<Float> norm;
    Float* up_weight = nullptr;  // [inner, width]
    Float* up_bias = nullptr;
    Float* out_weight = nullptr;  // [width, inner]
    Float* out_bias = nullptr;
};

// How features [clips, frames, kinds, bands] are cut in patches of so many frames and bands; the first
// `channels` kinds are used. There are ceil(frames / patch_frames) steps; frames beyond the end count as
// nothing.
struct Patches {
    Size clips = 1, frames = 0, kinds = 0, bands = 0;
    Size patch_frames = 0, patch_bands = 0, channels = 0;
    [[nodiscard]] Size steps() const { return (frames + patch_frames - 1) / patch_frames; }
    [[nodiscard]] Size positions() const { return bands / patch_bands; }
    [[nodiscard]] Size inputs() const { return patch_frames * patch_bands * channels; }
};
// One linear layer a band position: weight [positions, inputs, width], bias [positions, width].
template <typename Float>
struct Embedding {
    Size width = 0;
    Float* weight = nullptr;
    Float* bias = nullptr;
};
// Norm, two layers a band position (the first sees the patch itself, too, when inputs > width): weight1
// [positions, inputs, hidden], weight2 [positions, hidden, outputs]; outputs = stems x patch_frames x
// patch_bands.
template <typename Float>
struct Head {
    Size width = 0, inputs = 0, hidden = 0, outputs = 0;
    Norm<Float> norm;
    Float* weight1 = nullptr;
    Float* bias1 = nullptr;
    Float* weight2 = nullptr;
    Float* bias2 = nullptr;
};
// What the loss of engine/learning/examples.h needs of a batch; all of it is added up over clips with their
// weights.
struct LossTargets {
    const float* mixture = nullptr;  // [clips, frames, bands]
    const float* cross = nullptr;    // [clips, stems, frames, bands]
    const float* absent = nullptr;   // [clips, stems]: what a mask costs there, as a share of the mixture's
    const float* weights = nullptr;  // [clips]
};

// Memory of one forward pass that its backward pass needs; saved_values() and state_floats() say how much.
struct RecurrentMemory {
    void* saved = nullptr;
    float* states = nullptr;
};

struct Kernels {
    const char* name;
    int saved_bytes;  // of one value in RecurrentMemory::saved
    bool whole;       // without memory, recurrent and perceptron multiply whole numbers (whole.h)

    // x and out do not overlap; only the wanted steps of out are written, and only what they need is
    // computed. `memory` is null when nothing will be learned, else all steps are wanted.
    void (*recurrent)(const Sequences&, const Reach&, const Steps& wanted, const Recurrent<const float>&,
                      const float* x, float* out, const RecurrentMemory* memory);
    // Slopes of the weights are added to; dx is written.
    void (*recurrent_gradients)(const Sequences&, const Reach&, const Recurrent<const float>&, const float* x,
                                const RecurrentMemory&, const float* dout, float* dx,
                                const Recurrent<float>& gradients);
    // hidden [rows, inner] is what the backward pass needs; null when nothing will be learned. out may be x.
    void (*perceptron)(Size rows, const Perceptron<const float>&, const float* x, float* out, float* hidden);
    void (*perceptron_gradients)(Size rows, const Perceptron<const float>&, const float* x,
                                 const float* hidden, const float* dout, float* dx,
                                 const Perceptron<float>& gradients);
    // out [steps, positions, clips, width].
    void (*embed)(const Patches&, const Embedding<const float>&, const float* features, float* out);
    void (*embed_gradients)(const Patches&, const Embedding<const float>&, const float* features,
                            const float* dout, const Embedding<float>& gradients);
    // x [steps, positions, clips, width]; masks (softmax over the stems) [clips, frames, stems, bands] of the
    // first `frames` frames of these steps.
    void (*head)(const Patches&, Size frames, const Head<const float>&, const float* x, const float* features,
                 float* masks);
    // Softmax over the stems and the loss of a batch without its constant, with all gradients at once.
    double (*head_loss)(const Patches&, const Head<const float>&, const float* x, const float* features,
                        const LossTargets&, float* dx, const Head<float>& gradients);
    // In place: rows x columns (rows <= columns) to the nearest matrix with singular values near one
    // (engine/learning/optimizer.h).
    void (*orthogonalise)(Size rows, Size columns, float* values);
};

// Values that one pass over these sequences keeps, and floats of its states.
[[nodiscard]] Size saved_values(const Sequences& sequences, const Reach& reach, Size hidden);
[[nodiscard]] Size state_floats(const Sequences& sequences, const Reach& reach, Size hidden);

// The fastest that this machine has, or the one that use_kernels() chose.
[[nodiscard]] const Kernels& kernels();
// Those that this machine can run: "vnni", "avx512", "avx2", "plain", the fastest first.
[[nodiscard]] std::vector<const Kernels*> available_kernels();
// For tests and benches: from now on, in all threads. Null: the fastest again.
void use_kernels(const Kernels* chosen);

}  // namespace rivlen::units
