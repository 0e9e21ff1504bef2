#pragma once
/// What the CAD kernel hands over. Only kernel_document.cpp and kernel_shape.cpp include its headers, and they run in a
/// process of their own (see reader_process.hpp).

#include <halvo/assembly.hpp>

#include <filesystem>
#include <memory>

namespace halvo::io {

enum class FileKind { step, iges, stl, obj, ply };
[[nodiscard]] const char* kind_name(FileKind k);

/// One use of a part in the product tree.
struct Instance {
    int part = 0;
    Eigen::Isometry3d place = Eigen::Isometry3d::Identity();
    std::string name, path, layer;
    std::array<double, 3> colour{0.62, 0.66, 0.70};
};

struct Tree {
    std::string unit = "mm";
    int parts = 0;
    std::vector<int> weight;  ///< faces of each part: what converting it costs
    int loose = -1;           ///< the part that holds faces of no shell
    std::vector<Instance> instances;
};

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
