// SPDX-License-Identifier: GPL-3.0-or-later
// The network's own operations against libtorch's, for every instruction set that this machine has.
#include <fmt/format.h>
#include <gtest/gtest.h>
#include <torch/torch.h>

#include <functional>

#include "engine/units/kernels.h"
#include "engine/units/operations.h"

namespace rivlen::units {
// For the names that ctest shows; found by argument-dependent lookup.
void PrintTo(const Kernels* kernels, std::ostream* out);
void PrintTo(const Kernels* kernels, std::ostream* out) {
    *out << kernels->name;
}

namespace {

using torch::Tensor;
namespace F = torch::nn::functional;

constexpr std::int64_t kWidth = 48;
constexpr std::int64_t kHidden = 32;

class Units : public testing::TestWithParam<const Kernels*> {
  protected:
    void SetUp() override {
        torch::manual_seed(5);
        use_kernels(GetParam());
    }
    void TearDown() override { use_kernels(nullptr); }
};
INSTANTIATE_TEST_SUITE_P(OnThisMachine, Units, testing::ValuesIn(available_kernels()),
                         [](const auto& info) { return info.param->name; });

Tensor weight(std::vector<std::int64_t> shape, double size = 0.2) {
    return (torch::randn(shape) * size).requires_grad_();
}

// Result and all gradients of a random product with it, ours beside libtorch's, against the largest value
// there is.
void expect_the_same(const std::vector<Tensor>& inputs, const std::function<Tensor()>& ours,
                     const std::function<Tensor()>& reference, double tolerance) {
    const auto wanted_slope = torch::randn(inputs[0].sizes());
    const auto run = [&](const std::function<Tensor()>& operation) {
        for (const auto& t : inputs) t.mutable_grad() = Tensor();
        const auto y = operation();
        (y * wanted_slope).sum().backward();
        std::vector<Tensor> out{y.detach().clone()};
        for (const auto& t : inputs) out.push_back(t.grad().clone());
        return out;
    };
    const auto a = run(ours);
    const auto b = run(reference);
    {
        const torch::NoGradGuard no_grad;  // another path: nothing is kept for the gradients
        // Whole numbers have 15 bits for the largest value of a row or column.
        const double rounding = kernels().whole ? 3e-4 * a[0].abs().max().item<double>() : 1e-6;
        EXPECT_LT((ours() - a[0]).abs().max().item<double>(), rounding);
    }
    for (std::size_t i = 0; i < a.size(); ++i) {
        const double largest = b[i].abs().max().item<double>() + 1e-9;
        EXPECT_LT((a[i] - b[i]).abs().max().item<double>() / largest, tolerance) << "tensor " << i;
    }
}

struct RecurrentCase {
    NormWeights norm{(torch::randn({kWidth}) * 0.1 + 1.0).requires_grad_(), weight({kWidth})};
    torch::nn::GRU gru{torch::nn::GRUOptions(kWidth, kHidden).bidirectional(true)};
    LinearWeights out{weight({kWidth, 2 * kHidden}), weight({kWidth})};
    std::array<GruWeights, 2> weights;
    std::vector<Tensor> inputs;
    Tensor x;

    explicit RecurrentCase(std::vector<std::int64_t> shape) : x(torch::randn(shape).requires_grad_()) {
        auto named = gru->named_parameters();
        for (std::size_t d = 0; d < 2; ++d) {
            const std::string end = d == 0 ? "_l0" : "_l0_reverse";
            weights[d] = {named["weight_ih" + end], named["weight_hh" + end], named["bias_ih" + end],
                          named["bias_hh" + end]};
        }
        inputs = {x, norm.weight, norm.bias, out.weight, out.bias};
        for (const auto& w : gru->parameters()) inputs.push_back(w);
    }
    [[nodiscard]] Tensor normed() const {
        return F::layer_norm(x, F::LayerNormFuncOptions({kWidth}).weight(norm.weight).bias(norm.bias));
    }
    [[nodiscard]] Tensor finished(const Tensor& states) const {  // [steps, positions, clips, 2 hidden]
        return x + torch::matmul(states, out.weight.t()) + out.bias;
    }
    // Along the steps, each window by itself: what the GRU gives there when it begins `overlap` steps early
    // (or late) with an empty state, faded over as many steps into what the next window's gives.
    Tensor in_windows(std::int64_t memory, std::int64_t overlap) {
        const std::int64_t steps = x.size(0);
        const auto u = (torch::arange(overlap) + 0.5) / overlap;
        const auto fade = (u * u * (3 - 2 * u)).view({-1, 1, 1});
        const auto y = normed().reshape({steps, -1, kWidth});
        std::vector<Tensor> pieces;
        for (std::int64_t at = 0; at < steps; at += memory) {
            const std::int64_t end = std::min(steps, at + memory);
            const auto run = [&](std::int64_t first, std::int64_t last, int half) {
                return std::get<0>(gru(y.narrow(0, first, last - first))).narrow(2, half * kHidden, kHidden);
            };
            const std::int64_t early = std::max<std::int64_t>(0, at - overlap);
            auto forward = run(early, end, 0).narrow(0, at - early, end - at);
            auto backward = run(at, std::min(steps, end + overlap), 1).narrow(0, 0, end - at);
            if (end < steps) {
                const auto own = forward.narrow(0, memory - overlap, overlap);
                forward = torch::cat({forward.narrow(0, 0, memory - overlap),
                                      own + fade * (run(end - overlap, end, 0) - own)});
            }
            if (at > 0) {
                const std::int64_t n = std::min(overlap, end - at);
                const auto own = backward.narrow(0, 0, n);
                backward = torch::cat({own + fade.flip(0).narrow(0, 0, n) * (run(at, at + n, 1) - own),
                                       backward.narrow(0, n, end - at - n)});
            }
            pieces.push_back(torch::cat({forward, backward}, 2));
        }
        return finished(torch::cat(pieces, 0).view({steps, x.size(1), x.size(2), 2 * kHidden}));
    }
};

// Float16 keeps 11 bits of the gates for the gradients.
double slope_tolerance() {
    return kernels().saved_bytes == 2 ? 2e-3 : 2e-5;
}

TEST_P(Units, RecurrenceAlongStepsEqualsLibtorch) {
    for (const auto& shape :
         {std::vector<std::int64_t>{7, 5, 6, kWidth}, {19, 3, 1, kWidth}, {1, 2, 1, kWidth}}) {
        RecurrentCase c(shape);
        expect_the_same(
            c.inputs, [&] { return recurrent(c.x, true, {}, c.norm, c.weights, c.out); },
            [&] { return c.in_windows(shape[0], shape[0]); }, slope_tolerance());
    }
}

TEST_P(Units, RecurrenceAlongPositionsEqualsLibtorch) {
    for (const auto& shape :
         {std::vector<std::int64_t>{5, 7, 6, kWidth}, {30, 4, 1, kWidth}, {2, 1, 3, kWidth}}) {
        RecurrentCase c(shape);
        const auto reference = [&] {
            const auto y = c.normed().permute({1, 0, 2, 3}).reshape({shape[1], -1, kWidth});
            const auto h = std::get<0>(c.gru(y)).view({shape[1], shape[0], shape[2], 2 * kHidden});
            return c.finished(h.permute({1, 0, 2, 3}));
        };
        expect_the_same(
            c.inputs, [&] { return recurrent(c.x, false, {}, c.norm, c.weights, c.out); }, reference,
            slope_tolerance());
    }
}

TEST_P(Units, MemoryHasAnEnd) {
    struct Form {
        int steps, memory, overlap;
    };
    for (const auto& [steps, memory, overlap] : {Form{23, 5, 5},
                                                 {20, 5, 5},
                                                 {4, 5, 5},
                                                 {6, 5, 5},
                                                 {9, 1, 1},
                                                 {11, 6, 6},
                                                 {40, 17, 17},
                                                 {23, 5, 2},
                                                 {20, 5, 4},
                                                 {4, 5, 3},
                                                 {6, 5, 2},
                                                 {11, 6, 1},
                                                 {40, 17, 5},
                                                 {47, 22, 13}}) {
        SCOPED_TRACE(fmt::format("{} steps, {} in a window, overlap {}", steps, memory, overlap));
        RecurrentCase c({steps, 3, 9, kWidth});  // more sequences than a tile
        expect_the_same(
            c.inputs,
            [&] {
                return recurrent(c.x, true, {memory, overlap}, c.norm, c.weights, c.out);
            },
            [&] { return c.in_windows(memory, overlap); }, slope_tolerance());
    }
}

TEST_P(Units, PerceptronEqualsLibtorch) {
    const auto x = torch::randn({13, 5, 7, kWidth}).requires_grad_();
    const NormWeights norm{(torch::randn({kWidth}) * 0.1 + 1.0).requires_grad_(), weight({kWidth})};
    const LinearWeights up{weight({80, kWidth}), weight({80})};
    const LinearWeights out{weight({kWidth, 80}), weight({kWidth})};
    expect_the_same(
        {x, norm.weight, norm.bias, up.weight, up.bias, out.weight, out.bias},
        [&] { return perceptron(x, norm, up, out); },
        [&] {
            const auto y =
                F::layer_norm(x, F::LayerNormFuncOptions({kWidth}).weight(norm.weight).bias(norm.bias));
            return x + torch::matmul(torch::relu(torch::matmul(y, up.weight.t()) + up.bias), out.weight.t()) +
                   out.bias;
        },
        2e-5);
}

// Whatever goes through a unit at the same time, a sequence gives the same to the bit: recordings are split
// in pieces of any length.
TEST_P(Units, NeighboursChangeNothing) {
    const torch::NoGradGuard no_grad;
    RecurrentCase c({45, 3, 1, kWidth});
    const LinearWeights up{weight({80, kWidth}), weight({80})};
    const LinearWeights out{weight({kWidth, 80}), weight({kWidth})};
    const auto states = recurrent(c.x, false, {}, c.norm, c.weights, c.out);
    const auto rows = perceptron(c.x, c.norm, up, out);
    for (const auto& [first, count] :
         {std::pair{0, 1}, {3, 2}, {5, 7}, {13, 8}, {20, 12}, {7, 17}, {1, 44}}) {
        const auto part = c.x.narrow(0, first, count).contiguous();
        EXPECT_TRUE(torch::equal(recurrent(part, false, {}, c.norm, c.weights, c.out),
                                 states.narrow(0, first, count)))
            << count;
        EXPECT_TRUE(torch::equal(perceptron(part, c.norm, up, out), rows.narrow(0, first, count))) << count;
    }
}

// A whole network of one block's worth of layers, put together from libtorch's: features to patches,
// embedding, head that sees the patch, softmax, loss.
struct Patchwork {
    static constexpr std::int64_t kClips = 3, kFrames = 10, kBands = 32, kPatchFrames = 4, kPatchBands = 8;
    static constexpr std::int64_t kPositions = kBands / kPatchBands, kSteps = 3,
                                  kInputs = 2 * kPatchFrames * kPatchBands;
    static constexpr PatchForm kForm{kPatchFrames, kPatchBands, 2};
    Tensor features = torch::rand({kClips, kFrames, 3, kBands});
    Tensor embed_weight = weight({kPositions, kInputs, kWidth}), embed_bias = weight({kPositions, 1, kWidth});
    HeadWeights head{{(torch::randn({kWidth}) * 0.1 + 1.0).requires_grad_(), weight({kWidth})},
                     weight({kPositions, kWidth + kInputs, 32}),
                     weight({kPositions, 1, 32}),
                     weight({kPositions, 32, 4 * kPatchFrames* kPatchBands}),
                     weight({kPositions, 1, 4 * kPatchFrames* kPatchBands})};
    LossTensors targets{torch::rand({kClips, kFrames, kBands}), torch::rand({kClips, 4, kFrames, kBands}),
                        torch::rand({kClips, 4}), torch::rand({kClips})};

    [[nodiscard]] Tensor patches() const {  // [positions, steps, clips, inputs]
        auto x = F::pad(features.narrow(2, 0, 2),
                        F::PadFuncOptions({0, 0, 0, 0, 0, kSteps * kPatchFrames - kFrames}));
        return x.reshape({kClips, kSteps, kPatchFrames, 2, kPositions, kPatchBands})
            .permute({4, 1, 0, 2, 3, 5})
            .reshape({kPositions, kSteps * kClips, kInputs});
    }
    [[nodiscard]] Tensor embedded() const {
        return torch::baddbmm(embed_bias, patches(), embed_weight)
            .view({kPositions, kSteps, kClips, kWidth})
            .permute({1, 0, 2, 3});
    }
    [[nodiscard]] Tensor logits(const Tensor& x) const {
        auto y =
            F::layer_norm(x, F::LayerNormFuncOptions({kWidth}).weight(head.norm.weight).bias(head.norm.bias));
        y = torch::cat({y.permute({1, 0, 2, 3}).reshape({kPositions, kSteps * kClips, kWidth}), patches()},
                       2);
        y = torch::relu(torch::baddbmm(head.bias1, y, head.weight1));
        y = torch::baddbmm(head.bias2, y, head.weight2);
        return y.view({kPositions, kSteps, kClips, 4, kPatchFrames, kPatchBands})
            .permute({2, 3, 1, 4, 0, 5})
            .reshape({kClips, 4, kSteps * kPatchFrames, kBands});
    }
    [[nodiscard]] Tensor loss(const Tensor& x) const {
        const auto masks = torch::softmax(logits(x), 1).narrow(2, 0, kFrames);
        const auto cost =
            masks * targets.mixture.unsqueeze(1) * (1.0 + targets.absent.view({kClips, 4, 1, 1}));
        return ((cost - masks.sqrt() * targets.cross) * targets.weights.view({-1, 1, 1, 1})).sum();
    }
};

TEST_P(Units, EmbeddingEqualsLibtorch) {
    const Patchwork p;
    const auto wanted = torch::randn({Patchwork::kSteps, Patchwork::kPositions, Patchwork::kClips, kWidth});
    const auto run = [&](const std::function<Tensor()>& operation) {
        for (const auto& t : {p.embed_weight, p.embed_bias}) t.mutable_grad() = Tensor();
        const auto y = operation();
        (y * wanted).sum().backward();
        return std::array{y.detach(), p.embed_weight.grad().clone(), p.embed_bias.grad().clone()};
    };
    const auto a = run([&] { return embed(p.features, Patchwork::kForm, p.embed_weight, p.embed_bias); });
    const auto b = run([&] { return p.embedded(); });
    for (std::size_t i = 0; i < a.size(); ++i) EXPECT_TRUE(torch::allclose(a[i], b[i], 1e-4, 1e-5)) << i;
}

TEST_P(Units, HeadAndLossEqualLibtorch) {
    const Patchwork p;
    const auto x =
        torch::randn({Patchwork::kSteps, Patchwork::kPositions, Patchwork::kClips, kWidth}).requires_grad_();
    const auto expected = torch::softmax(p.logits(x), 1).transpose(1, 2);  // [clips, frames, stems, bands]
    auto whole = torch::empty({Patchwork::kClips, Patchwork::kFrames, 4, Patchwork::kBands});
    head(x, p.features, Patchwork::kForm, p.head, whole);
    EXPECT_TRUE(torch::allclose(whole, expected.narrow(1, 0, Patchwork::kFrames), 1e-4, 1e-5));
    auto part = torch::empty({Patchwork::kClips, 5, 4, Patchwork::kBands});
    head(x, p.features, Patchwork::kForm, p.head, part);  // fewer frames than there are
    EXPECT_TRUE(torch::allclose(part, expected.narrow(1, 0, 5), 1e-4, 1e-5));
    const std::vector<Tensor> inputs{
        x, p.head.norm.weight, p.head.norm.bias, p.head.weight1, p.head.bias1, p.head.weight2, p.head.bias2};
    const auto run = [&](const Tensor& loss) {
        for (const auto& t : inputs) t.mutable_grad() = Tensor();
        (3.0 * loss).backward();
        std::vector<Tensor> out{loss.detach()};
        for (const auto& t : inputs) out.push_back(t.grad().clone());
        return out;
    };
    const auto a = run(head_loss(x, p.features, Patchwork::kForm, p.head, p.targets));
    const auto b = run(p.loss(x));
    for (std::size_t i = 0; i < a.size(); ++i) {
        const double largest = b[i].abs().max().item<double>() + 1e-9;
        EXPECT_LT((a[i] - b[i]).abs().max().item<double>() / largest, 2e-5) << "tensor " << i;
    }
}

// Slopes against differences: no libtorch on either side.
TEST_P(Units, SlopesAreThoseOfSmallSteps) {
    const Patchwork p;
    auto x =
        torch::randn({Patchwork::kSteps, Patchwork::kPositions, Patchwork::kClips, kWidth}).requires_grad_();
    const auto loss = [&](const Tensor& at) {
        return head_loss(at, p.features, Patchwork::kForm, p.head, p.targets);
    };
    loss(x).backward();
    const auto direction = torch::randn(x.sizes());
    const torch::NoGradGuard no_grad;
    constexpr double kStep = 4e-3;
    const double along =
        (loss(x + kStep * direction) - loss(x - kStep * direction)).item<double>() / (2.0 * kStep);
    const double slope = (x.grad() * direction).sum().item<double>();
    EXPECT_NEAR(along, slope, 0.03 * std::abs(slope));
}

// The definition: U V^T of the singular value decomposition, which five steps reach to within the band of
// singular values that the paper draws (0.7 to 1.2).
TEST_P(Units, OrthogonalisedMatricesHaveSingularValuesNearOne) {
    for (const auto& shape : {std::vector<std::int64_t>{3, 32, 64}, {2, 96, 48}, {1, 16, 16}}) {
        const auto y = orthogonalised(torch::randn(shape));
        const auto values = std::get<1>(torch::linalg_svd(y, false, c10::nullopt));
        EXPECT_LT(values.max().item<double>(), 1.25);
        EXPECT_GT(values.median().item<double>(), 0.65);
        ASSERT_EQ(y.sizes().vec(), shape);
    }
}

// Rows that point where weights point give the largest sums there are; whole numbers must hold them.
TEST_P(Units, LargestSumsHold) {
    const torch::NoGradGuard no_grad;
    const auto turns = 1.0 - 2.0 * torch::arange(kWidth).remainder(2);  // 1, -1, 1, ...
    const NormWeights norm{torch::ones({kWidth}), torch::zeros({kWidth})};
    const auto x = (turns * 7.0).expand({3, 5, 2, kWidth}).contiguous();
    const LinearWeights up{(turns * 1e3).expand({80, kWidth}).contiguous(), torch::zeros({80})};
    const LinearWeights out{torch::full({kWidth, 80}, 0.5), torch::zeros({kWidth})};
    const double sum = 1e3 * kWidth;  // of every unit
    EXPECT_TRUE(torch::allclose(perceptron(x, norm, up, out), x + 40.0 * sum, 1e-4));
    // Gates wide open: every state is 1 after a step, and gives its share to every other.
    RecurrentCase c({6, 2, 3, kWidth});
    for (auto& gru : c.weights) {
        for (const auto& w : {gru.weight_ih, gru.weight_hh}) w.fill_(5.0);
        gru.bias_ih.zero_();
        gru.bias_ih.narrow(0, kHidden, kHidden).fill_(-1e3);  // the update gate: all is new
        gru.bias_ih.narrow(0, 2 * kHidden, kHidden).fill_(20.0);
        gru.bias_hh.zero_();
    }
    c.out.weight.fill_(0.25);
    c.out.bias.zero_();
    EXPECT_TRUE(torch::allclose(recurrent(x, true, {}, norm, c.weights, c.out), x + 0.5 * kHidden, 1e-4));
}

// Large arguments end in the limits of the gates instead of in values that are no numbers.
TEST_P(Units, ExtremeInputsStayFinite) {
    RecurrentCase c({5, 4, 2, kWidth});
    const torch::NoGradGuard no_grad;
    for (const double scale : {0.0, 1e-30, 1e6, 1e15}) {
        const auto y = recurrent(c.x * scale, true, {2, 1}, c.norm, c.weights, c.out);
        EXPECT_TRUE(torch::isfinite(y).all().item<bool>()) << scale;
    }
}

}  // namespace
}  // namespace rivlen::units
