#pragma once
#include "io/kernel_file.hpp"

#include <filesystem>
#include <functional>
#include <memory>

namespace halvo::io {

/// A file open in the kernel. Throws Error{input}, and the kernel's own exceptions turned into it.
class KernelDocument {
public:
    /// `scratch`: an empty folder for what the kernel wants written down; its owner removes it.
    KernelDocument(const std::filesystem::path& file, FileKind kind, const std::string& shown, const std::filesystem::path& scratch,
                   const std::function<void(double)>& progress);
    ~KernelDocument();
    KernelDocument(const KernelDocument&) = delete;
    KernelDocument& operator=(const KernelDocument&) = delete;
    [[nodiscard]] const Tree& tree() const;
    /// Part `i` in its own coordinates: surfaces, curves, facets; not finished.
    [[nodiscard]] Body part(int i) const;

private:
    struct Inside;
    std::unique_ptr<Inside> inside_;
};

}  // namespace halvo::io
