// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/safetensors.h"
#include "core/base/json_text.h"

#include <bit>
#include <cstring>
#include <nlohmann/json.hpp>

namespace rivlen::safetensors {

static_assert(std::endian::native == std::endian::little, "tensors are stored little-endian");

namespace {

using nlohmann::json;
constexpr std::uint64_t kLongestHeader = 100'000'000;

std::size_t element_size(const std::string& dtype) {
    if (dtype == "F32" || dtype == "I32" || dtype == "U32") return 4;
    if (dtype == "F64" || dtype == "I64") return 8;
    if (dtype == "F16" || dtype == "BF16" || dtype == "I16") return 2;
    if (dtype == "U8" || dtype == "I8" || dtype == "BOOL") return 1;
    return 0;
}

Error damaged(const std::filesystem::path& path, std::string_view why) {
    return make_error(ErrorKind::BadInput, "\"{}\" is damaged or not a safetensors file ({}). Make it again.",
                      path.string(), why);
}

std::string with_length(std::string header) {
    // Tensors start at a multiple of 64 bytes, so that a mapping of them is aligned.
    while ((header.size() + 8) % 64 != 0) header += ' ';
    const auto length = static_cast<std::uint64_t>(header.size());
    std::string head(8, '\0');
    std::memcpy(head.data(), &length, 8);
    return head + header;
}

}  // namespace

Result<File> File::open(const std::filesystem::path& path) {
    auto mapping = MappedFile::open(path);
    if (!mapping) return mapping.error();
    const auto bytes = mapping->bytes();
    if (bytes.size() < 8) return damaged(path, "too short");
    std::uint64_t header_length = 0;
    std::memcpy(&header_length, bytes.data(), 8);
    if (header_length > kLongestHeader || header_length > bytes.size() - 8)
        return damaged(path, "header length");
    const auto* text = reinterpret_cast<const char*>(bytes.data()) + 8;
    const json header = parse_json(std::string_view(text, header_length));
    if (!header.is_object()) return damaged(path, "header");
    const auto body = bytes.subspan(8 + header_length);

    File file;
    for (const auto& [name, entry] : header.items()) {
        if (name == "__metadata__") {
            if (!entry.is_object()) return damaged(path, "metadata");
            for (const auto& [key, value] : entry.items()) {
                if (!value.is_string()) return damaged(path, "metadata");
                file.metadata_[key] = value.get<std::string>();
            }
            continue;
        }
        if (!entry.is_object() || !entry.contains("dtype") || !entry.contains("shape") ||
            !entry.contains("data_offsets")) {
            return damaged(path, "tensor entry");
        }
        const auto& shape = entry["shape"];
        const auto& offsets = entry["data_offsets"];
        if (!entry["dtype"].is_string() || !shape.is_array() || !offsets.is_array() || offsets.size() != 2 ||
            !offsets[0].is_number_unsigned() || !offsets[1].is_number_unsigned()) {
            return damaged(path, "tensor entry");
        }
        Tensor tensor{name, entry["dtype"].get<std::string>(), {}, {}};
        std::uint64_t elements = 1;
        for (const auto& extent : shape) {
            if (!extent.is_number_unsigned()) return damaged(path, "shape");
            const auto value = extent.get<std::uint64_t>();
            if (value != 0 && elements > body.size() / value) return damaged(path, "shape");
            elements *= value;
            tensor.shape.push_back(static_cast<std::int64_t>(value));
        }
        const auto begin = offsets[0].get<std::uint64_t>();
        const auto end = offsets[1].get<std::uint64_t>();
        const auto size = element_size(tensor.dtype);
        if (size == 0 || begin > end || end > body.size() || end - begin != elements * size) {
            return damaged(path, "tensor extent");
        }
        tensor.bytes = body.subspan(begin, end - begin);
        file.tensors_.push_back(std::move(tensor));
    }
    file.mapping_ = std::move(*mapping);
    return file;
}

const Tensor* File::find(std::string_view name) const {
    for (const auto& tensor : tensors_) {
        if (tensor.name == name) return &tensor;
    }
    return nullptr;
}

Status write(const std::filesystem::path& path, const Metadata& metadata, std::span<const Tensor> tensors) {
    json header = json::object();
    header["__metadata__"] = metadata;
    std::uint64_t offset = 0;
    for (const auto& tensor : tensors) {
        header[tensor.name] = {{"dtype", tensor.dtype},
                               {"shape", tensor.shape},
                               {"data_offsets", {offset, offset + tensor.bytes.size()}}};
        offset += tensor.bytes.size();
    }
    auto file = OutputFile::create(path);
    if (!file) return file.error();
    const std::string head = with_length(header.dump());
    if (auto status = file->write(std::as_bytes(std::span(head))); !status) return status;
    for (const auto& tensor : tensors) {
        if (auto status = file->write(tensor.bytes); !status) return status;
    }
    return file->commit();
}

Result<std::string> single_tensor_head(const Metadata& metadata, std::string_view name,
                                       std::string_view dtype, std::span<const std::int64_t> shape,
                                       std::size_t element_bytes, std::size_t reserved_bytes) {
    std::uint64_t elements = 1;
    for (const auto extent : shape) elements *= static_cast<std::uint64_t>(extent);
    json header = json::object();
    header["__metadata__"] = metadata;
    header[std::string(name)] = {{"dtype", dtype},
                                 {"shape", std::vector<std::int64_t>(shape.begin(), shape.end())},
                                 {"data_offsets", {std::uint64_t{0}, elements * element_bytes}}};
    std::string text = header.dump();
    if (text.size() > reserved_bytes) return make_error(ErrorKind::Internal, "safetensors head does not fit");
    text.resize(reserved_bytes, ' ');
    return with_length(std::move(text));
}

}  // namespace rivlen::safetensors
