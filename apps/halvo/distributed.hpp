#pragma once
#include <memory>

/// One of several processes that mpirun has started: the first does the work and the others help it factorize.
class Distributed {
public:
    /// Looks whether it is so; else nothing is loaded. Throws Error{usage} where the module is not there.
    Distributed(int* argc, char*** argv);
    ~Distributed();
    Distributed(const Distributed&) = delete;
    Distributed& operator=(const Distributed&) = delete;
    /// True in a process that has helped and has nothing else to do.
    [[nodiscard]] bool only_helped() const;

private:
    struct Parts;
    std::unique_ptr<Parts> p_;
};
