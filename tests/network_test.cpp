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

// Reference: torch::nn::GRU of libtorch, bidirectional, along each of the two axes that the network uses.
TEST(Recurrence, EqualsLibtorchForwardAndBackward) {
    torch::manual_seed(4);
    constexpr std::int64_t kWidth = 24;
    constexpr std::int64_t kHidden = 20;
    torch::nn::GRU reference(torch::nn::GRUOptions(kWidth, kHidden).bidirectional(true));
    BidirectionalGru ours(kWidth, kHidden);
    {
        const torch::NoGradGuard no_grad;
        for (auto& item : ours.named_parameters())
            item.value().copy_(reference->named_parameters()[item.key()]);
    }
    for (const auto& shape :
         {std::vector<std::int64_t>{1, 7, 6, kWidth}, {5, 6, 3, kWidth}, {2, 1, 1, kWidth}}) {
        const auto x = torch::randn(shape).requires_grad_();
        const auto other_x = x.detach().clone().requires_grad_();
        const auto wanted_slope = torch::randn({shape[0], shape[1], shape[2], 2 * kHidden});
        const auto y = ours.forward(x);
        // [steps, outer * inner, width]
        const auto turned = other_x.transpose(0, 1).reshape({shape[1], shape[0] * shape[2], kWidth});
        const auto other_y =
            std::get<0>(reference(turned)).view({shape[1], shape[0], shape[2], 2 * kHidden}).transpose(0, 1);
        EXPECT_LT(largest_difference(y, other_y), 2e-6);
        {
            const torch::NoGradGuard no_grad;  // another path: nothing is kept for the slopes
            EXPECT_LT(largest_difference(ours.forward(x), y), 1e-7);
        }
        ours.zero_grad();
        reference->zero_grad();
        (y * wanted_slope).sum().backward();
        (other_y * wanted_slope).sum().backward();
        EXPECT_LT(largest_difference(x.grad(), other_x.grad()), 1e-5);
        for (const auto& item : ours.named_parameters()) {
            EXPECT_LT(
                largest_difference(item.value().grad(), reference->named_parameters()[item.key()].grad()),
                5e-5)
                << item.key();
        }
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

// A larger network that begins with a smaller one's weights gives the smaller one's masks.
TEST(Network, GrowsWithoutChangingItsMasks) {
    torch::manual_seed(9);
    NetworkSpec small;
    small.width = 16;
    small.hidden = 8;
    small.blocks = 1;
    small.head_hidden = 16;
    NetworkSpec large = small;
    large.blocks = 3;
    large.head_hidden = 24;
    large.mlp_hidden = 12;
    large.head_sees_input = true;
    SeparationNetwork a(small);
    SeparationNetwork b(large);
    ASSERT_TRUE(copy_weights(a, b).ok());
    const torch::NoGradGuard no_grad;
    const auto x = torch::rand({2, 10, 2, 256});
    EXPECT_LT(largest_difference(a->forward(x), b->forward(x)), 1e-5);
    EXPECT_FALSE(copy_weights(b, a).ok());
}

SeparationNetwork small_network() {
    torch::manual_seed(2);
    NetworkSpec spec;
    spec.width = 16;
    spec.hidden = 8;
    spec.blocks = 1;
    spec.head_hidden = 16;
    return SeparationNetwork(spec);
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
