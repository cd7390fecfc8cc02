// The network's own operations against libtorch's.
#include <gtest/gtest.h>
#include <torch/torch.h>

#include "engine/golden.h"
#include "engine/network.h"
#include "engine/products.h"
#include "engine/recurrence.h"
#include "tests/fixtures.h"

namespace rivlen {
namespace {

double largest_difference(const torch::Tensor& a, const torch::Tensor& b) {
    return (a - b).abs().max().item<double>();
}

// Ours beside libtorch's, with the same weights.
struct GruPair {
    GruPair(std::int64_t width, std::int64_t hidden)
        : reference(torch::nn::GRUOptions(width, hidden).bidirectional(true)), ours(width, hidden) {
        const torch::NoGradGuard no_grad;
        for (auto& item : ours.named_parameters())
            item.value().copy_(reference->named_parameters()[item.key()]);
    }
    // Outputs y (ours, of x) and other_y, and all slopes of a random product with them.
    void expect_the_same(const torch::Tensor& x, const torch::Tensor& y, const torch::Tensor& other_x,
                         const torch::Tensor& other_y) {
        EXPECT_LT(largest_difference(y, other_y), 2e-6) << x.sizes();
        const auto wanted_slope = torch::randn(y.sizes());
        ours.zero_grad();
        reference->zero_grad();
        (y * wanted_slope).sum().backward();
        (other_y * wanted_slope).sum().backward();
        EXPECT_LT(largest_difference(x.grad(), other_x.grad()), 1e-5) << x.sizes();
        for (const auto& item : ours.named_parameters()) {
            const auto other = reference->named_parameters()[item.key()].grad();
            EXPECT_LT(largest_difference(item.value().grad(), other), 5e-5) << x.sizes() << item.key();
        }
    }
    torch::nn::GRU reference;
    BidirectionalGru ours;
};

// Reference: torch::nn::GRU of libtorch, bidirectional, along each of the two axes that the network uses.
TEST(Recurrence, EqualsLibtorchForwardAndBackward) {
    torch::manual_seed(4);
    constexpr std::int64_t kWidth = 24;
    constexpr std::int64_t kHidden = 20;
    GruPair pair(kWidth, kHidden);
    for (const auto& shape :
         {std::vector<std::int64_t>{1, 7, 6, kWidth}, {5, 6, 3, kWidth}, {2, 1, 1, kWidth}}) {
        const auto x = torch::randn(shape).requires_grad_();
        const auto other_x = x.detach().clone().requires_grad_();
        const auto y = pair.ours.forward(x);
        // [steps, outer * inner, width]
        const auto turned = other_x.transpose(0, 1).reshape({shape[1], shape[0] * shape[2], kWidth});
        const auto other_y = std::get<0>(pair.reference(turned))
                                 .view({shape[1], shape[0], shape[2], 2 * kHidden})
                                 .transpose(0, 1);
        {
            const torch::NoGradGuard no_grad;  // another path: nothing is kept for the slopes
            EXPECT_LT(largest_difference(pair.ours.forward(x), y), 1e-7);
        }
        pair.expect_the_same(x, y, other_x, other_y);
    }
}

// With an end to its memory every window of steps is what libtorch's GRU gives when it begins one window
// early (or late) with an empty state, faded into what the next window's gives; slopes by libtorch's own
// differentiation.
TEST(Recurrence, MemoryHasAnEnd) {
    torch::manual_seed(6);
    constexpr std::int64_t kWidth = 12;
    constexpr std::int64_t kHidden = 10;
    GruPair pair(kWidth, kHidden);
    for (const auto& [steps, memory] : {std::pair{23, 5}, {20, 5}, {4, 5}, {6, 5}, {9, 1}, {11, 6}}) {
        const auto x = torch::randn({1, steps, 3, kWidth}).requires_grad_();
        const auto other_x = x.detach().clone().requires_grad_();
        const auto y = pair.ours.forward(x, memory);
        std::vector<torch::Tensor> pieces;
        for (int at = 0; at < steps; at += memory) {
            const int end = std::min(steps, at + memory);
            const int early = std::max(0, at - memory);
            const int late = std::min(steps, end + memory);
            const auto run = [&](int first, int last, int half) {
                return std::get<0>(pair.reference(other_x[0].narrow(0, first, last - first)))
                    .narrow(0, at - first, end - at)
                    .narrow(2, half * kHidden, kHidden);
            };
            const auto u = (torch::arange(memory) + 0.5) / memory;
            const auto fade = (u * u * (3 - 2 * u)).view({-1, 1, 1});
            auto forward = run(early, end, 0);
            auto backward = run(at, late, 1);
            if (end < steps) forward = forward + fade * (run(at, end, 0) - forward);
            if (at > 0)
                backward = backward + fade.flip(0).narrow(0, 0, end - at) * (run(at, end, 1) - backward);
            pieces.push_back(torch::cat({forward, backward}, 2));
        }
        const auto other_y = torch::cat(pieces, 0).unsqueeze(0);
        {
            const torch::NoGradGuard no_grad;
            EXPECT_LT(largest_difference(pair.ours.forward(x, memory), y), 1e-6) << steps;
        }
        pair.expect_the_same(x, y, other_x, other_y);
    }
}

// Large arguments end in the limits of the gates instead of in values that are no numbers.
TEST(Recurrence, ExtremeInputsStayFinite) {
    BidirectionalGru gru(8, 8);
    const torch::NoGradGuard no_grad;
    for (const double scale : {0.0, 1e-30, 1e6, 1e30}) {
        const auto y = gru.forward(torch::randn({1, 5, 4, 8}) * scale);
        EXPECT_TRUE(torch::isfinite(y).all().item<bool>()) << scale;
        EXPECT_LE(y.abs().max().item<float>(), 1.0F + 1e-6F) << scale;
    }
}

NetworkSpec small_spec() {
    NetworkSpec spec;
    spec.width = 16;
    spec.hidden = 8;
    spec.blocks = 1;
    spec.head_hidden = 16;
    return spec;
}

// A larger network that begins with a smaller one's weights gives the smaller one's masks.
TEST(Network, GrowsWithoutChangingItsMasks) {
    torch::manual_seed(9);
    NetworkSpec small = small_spec();
    NetworkSpec large = small;
    large.feature_channels = 3;
    large.blocks = 3;
    large.head_hidden = 24;
    large.mlp_hidden = 12;
    large.head_sees_input = true;
    SeparationNetwork a(small);
    SeparationNetwork b(large);
    ASSERT_TRUE(copy_weights(a, b).ok());
    const torch::NoGradGuard no_grad;
    const auto x = torch::rand({2, 10, 3, 256});
    EXPECT_LT(largest_difference(a->forward(x), b->forward(x)), 1e-5);
    EXPECT_FALSE(copy_weights(b, a).ok());
    // Once more from one whose head sees its input already.
    small.head_sees_input = true;
    SeparationNetwork c(small);
    ASSERT_TRUE(copy_weights(c, b).ok());
    EXPECT_LT(largest_difference(c->forward(x), b->forward(x)), 1e-5);
}

// A stretch of the grid and what the network sees around it give the logits that the whole gives there, and
// less around it does not.
TEST(Network, LooksNoFurtherThanItSays) {
    torch::manual_seed(10);
    NetworkSpec spec = small_spec();
    spec.blocks = 3;
    spec.mlp_hidden = 12;
    spec.head_sees_input = true;
    spec.memory_steps = 4;
    SeparationNetwork network(spec);
    ASSERT_EQ(network->grid_frames(), 16);
    ASSERT_EQ(network->halo_frames(), 48);
    const torch::NoGradGuard no_grad;
    const auto x = torch::rand({1, 250, 2, 256});
    const auto whole = network->forward(x);
    const auto piece = [&](std::int64_t first, std::int64_t last, std::int64_t halo) {
        const std::int64_t from = std::max<std::int64_t>(0, first - halo);
        const std::int64_t to = std::min<std::int64_t>(250, (last + 15) / 16 * 16 + halo);
        const auto part = network->forward(x.narrow(1, from, to - from), first - from, last - first);
        return largest_difference(part, whole.narrow(2, first, last - first));
    };
    EXPECT_LT(piece(0, 64, 48), 1e-5);
    EXPECT_LT(piece(96, 160, 48), 1e-5);
    EXPECT_LT(piece(96, 101, 48), 1e-5);
    EXPECT_LT(piece(192, 250, 48), 1e-5);
    EXPECT_GT(piece(96, 160, 32), 1e-4);
}

// The mean of a network with itself, grown or not, gives its masks; of two, weights half way between.
TEST(Network, MeansOfWeights) {
    torch::manual_seed(12);
    const NetworkSpec small = small_spec();
    NetworkSpec large = small;
    large.blocks = 2;
    large.feature_channels = 3;
    const SeparationNetwork a(small);
    SeparationNetwork b(large);
    ASSERT_TRUE(copy_weights(a, b).ok());
    const torch::NoGradGuard no_grad;
    const auto x = torch::rand({1, 10, 3, 256});
    auto same = mean_of_weights(std::vector{a, b});
    ASSERT_TRUE(same.ok());
    EXPECT_LT(largest_difference((*same)->forward(x), SeparationNetwork(a)->forward(x)), 1e-5);
    const SeparationNetwork c(small);
    const auto between = mean_of_weights(std::vector{a, c});
    ASSERT_TRUE(between.ok());
    const auto name = std::string("head2_weight");
    const auto half = 0.5 * (a->named_parameters()[name] + c->named_parameters()[name]);
    EXPECT_LT(largest_difference((*between)->named_parameters()[name], half), 1e-6);
    EXPECT_FALSE(mean_of_weights(std::vector{b, a}).ok());  // does not grow smaller
}

SeparationNetwork small_network() {
    torch::manual_seed(2);
    return SeparationNetwork(small_spec());
}

// What is stored beside the weights tells a machine that computes right from one that does not.
TEST(Golden, ASmallFaultInTheArithmeticIsNoticed) {
    const test::Scratch scratch;
    auto network = small_network();
    ASSERT_TRUE(save_network(network, scratch / "m.safetensors", {}).ok());
    auto loaded = load_network(scratch / "m.safetensors");
    ASSERT_TRUE(loaded.ok());
    EXPECT_LE(golden_difference(loaded->network, loaded->golden), 1.0 / 255.0);
    {
        const torch::NoGradGuard no_grad;  // one product gone wrong
        loaded->network->named_parameters()["head2_weight"][3].mul_(0.5);
    }
    EXPECT_GT(golden_difference(loaded->network, loaded->golden), kGoldenTolerance);
    EXPECT_EQ(golden_difference(loaded->network, {1, 2, 3}), 1.0);
}

// Products of bfloat16 factors: nearly the same masks, and only where they are asked for.
TEST(Network, HalfProductsAreNearlyTheSame) {
    torch::manual_seed(4);
    const torch::NoGradGuard no_grad;
    auto network = small_network();
    network->eval();
    const auto x = torch::rand({1, 37, 2, 256});
    const auto exact = network->forward(x);
    torch::Tensor half;
    {
        const HalfProducts on(true);
        half = network->forward(x);
    }
    const double difference = (half - exact).abs().max().item<double>();
    EXPECT_GT(difference, 0.0);
    EXPECT_LT(difference, 0.05);
    EXPECT_TRUE(torch::equal(network->forward(x), exact));
}

TEST(Network, WeightsOfAnotherShapeAreRefused) {
    const test::Scratch scratch;
    auto network = small_network();
    ASSERT_TRUE(save_network(network, scratch / "m.safetensors", {{"training", "{}"}}).ok());
    EXPECT_EQ(load_network(scratch / "m.safetensors")->metadata.at("training"), "{}");
    EXPECT_EQ(load_network(scratch / "none").error().kind, ErrorKind::NotFound);
    test::write_wav(scratch / "x.wav", {{0.0F}}, 48000);
    EXPECT_EQ(load_network(scratch / "x.wav").error().kind, ErrorKind::BadInput);
    EXPECT_FALSE(NetworkSpec::from_json(R"({"time_unit":"magic"})").ok());
    EXPECT_FALSE(NetworkSpec::from_json(R"({"width":-4})").ok());
}

}  // namespace
}  // namespace rivlen
