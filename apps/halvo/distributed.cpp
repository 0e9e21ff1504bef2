#include "distributed.hpp"

#include "distributed/table.hpp"

#include <halvo/direct_solver.hpp>
#include <halvo/types.hpp>

#include <dlfcn.h>
#include <fmt/format.h>

#include <cstdlib>
#include <filesystem>
#include <new>

using namespace halvo;

struct Distributed::Parts {
    HalvoDistributed* table = nullptr;
};

namespace {

// Every launcher tells its processes how many there are.
bool one_of_several() {
    for (const char* name : {"OMPI_COMM_WORLD_SIZE", "PMI_SIZE", "MPI_LOCALNRANKS", "SLURM_NTASKS"})
        if (const char* v = std::getenv(name); v && std::atoi(v) > 1) return true;
    return false;
}

HalvoDistributed* loaded(int* argc, char*** argv) {
    std::error_code ec;
    const auto here = std::filesystem::read_symlink("/proc/self/exe", ec).parent_path();
    for (const auto& file : {here / "halvo-distributed.so", here / "../libexec/halvo/halvo-distributed.so"}) {
        // Message passing loads further modules, which look for its symbols among those of the program.
        void* module = dlopen(file.c_str(), RTLD_NOW | RTLD_GLOBAL);
        if (!module) continue;
        using Start = HalvoDistributed* (*)(int*, char***);
        if (const auto start = reinterpret_cast<Start>(dlsym(module, "halvo_distributed_start"))) return start(argc, argv);
    }
    throw Error(ErrorKind::usage,
                "started as one of several processes, and halvo-distributed.so, which shares work among them, is not beside the program; build Halvo where "
                "libmumps-dev and libopenmpi-dev are installed, or start it alone");
}

void give_to(const HalvoDistributed& table) {
    DirectSolver solver;
    solver.factorize = [&table](const SymmetricColumns& m, std::shared_ptr<void>& factor) {
        int number = 0;
        const int outcome = table.factorize(m.size, m.start, m.row, m.value, &number);
        if (outcome == 3) throw std::bad_alloc();
        if (outcome < 0) throw Error(ErrorKind::stage, fmt::format("the distributed solver failed (its code {}); start Halvo alone", outcome));
        if (outcome == 2) return DirectSolver::Outcome::not_positive;
        factor = std::shared_ptr<void>(new int(number), [&table](void* p) {
            table.drop(*static_cast<int*>(p));
            delete static_cast<int*>(p);
        });
        return outcome == 1 ? DirectSolver::Outcome::nearly_singular : DirectSolver::Outcome::good;
    };
    solver.solve = [&table](void* factor, double* columns, std::int64_t size, std::int64_t count) {
        if (const int said = table.solve(*static_cast<int*>(factor), columns, size, count); said < 0)
            throw Error(ErrorKind::stage, fmt::format("the distributed solver failed (its code {}); start Halvo alone", said));
    };
    use_direct_solver(std::move(solver));
}

}  // namespace

Distributed::Distributed(int* argc, char*** argv) : p_(std::make_unique<Parts>()) {
    if (!one_of_several()) return;
    p_->table = loaded(argc, argv);
    if (p_->table->rank == 0) give_to(*p_->table);
    else p_->table->serve();
}

Distributed::~Distributed() {
    if (p_->table && p_->table->rank == 0) p_->table->stop();
}

bool Distributed::only_helped() const {
    return p_->table && p_->table->rank != 0;
}
