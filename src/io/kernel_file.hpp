#pragma once
/// What the CAD kernel hands over. Only src/reader includes its headers: a program of its own (see reader_process.hpp).

#include <halvo/assembly.hpp>

#include <filesystem>
#include <string>
#include <vector>

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

/// All that the kernel gives of a file.
struct KernelFile {
    Tree tree;
    std::vector<Body> parts;  ///< in their own coordinates, not finished
};

}  // namespace halvo::io
