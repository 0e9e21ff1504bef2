#pragma once
#include <cstddef>
#include <numeric>
#include <vector>

namespace halvo {

/// Disjoint groups of numbers 0 .. n-1 (union-find with path halving).
class Groups {
public:
    explicit Groups(std::size_t n) : parent_(n) { std::iota(parent_.begin(), parent_.end(), 0); }
    [[nodiscard]] int root(int i) {
        while (at(i) != i) i = at(i) = at(at(i));
        return i;
    }
    void tie(int a, int b) { at(root(a)) = root(b); }

private:
    int& at(int i) { return parent_[static_cast<std::size_t>(i)]; }
    std::vector<int> parent_;
};

}  // namespace halvo
