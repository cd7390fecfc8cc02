// SPDX-License-Identifier: GPL-3.0-or-later
// The safetensors layout: 8 bytes little-endian header length, a JSON header, then raw tensors one after
// another. The header maps a tensor's name to {dtype, shape, data_offsets}; "__metadata__" holds strings
// only.
#pragma once

#include <cstdint>
#include <filesystem>
#include <map>
#include <span>
#include <string>
#include <vector>

#include "core/base/mapped_file.h"
#include "core/base/output_file.h"
#include "core/base/result.h"

namespace rivlen::safetensors {

using Metadata = std::map<std::string, std::string>;

struct Tensor {
    std::string name;
    std::string dtype;  // "F32", "U8", ...
    std::vector<std::int64_t> shape;
    std::span<const std::byte> bytes;
};

// An opened file; its tensors point into the mapping.
class File {
  public:
    // Errors: NotFound, Io; BadInput when the header is damaged or a tensor lies outside the file.
    [[nodiscard]] static Result<File> open(const std::filesystem::path& path);

    [[nodiscard]] const Metadata& metadata() const { return metadata_; }
    [[nodiscard]] const std::vector<Tensor>& tensors() const { return tensors_; }
    [[nodiscard]] const Tensor* find(std::string_view name) const;
    void drop_pages() const { mapping_.drop_pages(); }  // see MappedFile
    [[nodiscard]] bool intact() const { return mapping_.intact(); }

  private:
    MappedFile mapping_;
    Metadata metadata_;
    std::vector<Tensor> tensors_;
};

// Writes all tensors in the given order, atomically. Errors: DiskFull, Io.
[[nodiscard]] Status write(const std::filesystem::path& path, const Metadata& metadata,
                           std::span<const Tensor> tensors);

// The head of a file whose single tensor is streamed behind it. The JSON is padded with blanks to
// `reserved_bytes`, so that it can be written again in place when the final shape is known. Errors: Internal
// when it does not fit.
[[nodiscard]] Result<std::string> single_tensor_head(const Metadata& metadata, std::string_view name,
                                                     std::string_view dtype,
                                                     std::span<const std::int64_t> shape,
                                                     std::size_t element_bytes, std::size_t reserved_bytes);

}  // namespace rivlen::safetensors
