// Factorization on several processes by MUMPS (Amestoy, Duff, L'Excellent and Koster, SIAM Journal on Matrix Analysis 23, 2001) under MPI. The first process
// holds the matrix and runs the program; the others wait for what it asks of them.
#include "distributed/table.hpp"

#include <dmumps_c.h>
#include <mpi.h>

#include <array>
#include <map>
#include <vector>

namespace {

constexpr int whole_world = -987654;  // MUMPS' name for all processes
constexpr double null_pivot = 1e-10;  // of a matrix with ones on its diagonal: as the factorization on one machine looks at it
constexpr int more_memory = 50;       // percent over what the analysis expects, for pivots that are put off

enum class Ask : int { stop, factorize, solve, drop };

struct Instance {
    DMUMPS_STRUC_C id{};
    int size = 0;
    std::vector<int> rows, columns;
    std::vector<double> values;
};
std::map<int, Instance>& instances() {
    static std::map<int, Instance> all;
    return all;
}

int& icntl(DMUMPS_STRUC_C& id, int k) {
    return id.icntl[k - 1];
}
int infog(const DMUMPS_STRUC_C& id, int k) {
    return id.infog[k - 1];
}

void call(DMUMPS_STRUC_C& id, int job) {
    id.job = job;
    dmumps_c(&id);
}

// All processes together; the matrix is on the first.
int factorize_together(int number) {
    Instance& k = instances()[number];
    k.id.comm_fortran = whole_world, k.id.par = 1, k.id.sym = 2;
    call(k.id, -1);
    for (const int stream : {1, 2, 3, 4}) icntl(k.id, stream) = stream == 4 ? 0 : -1;
    icntl(k.id, 14) = more_memory, icntl(k.id, 24) = 1, icntl(k.id, 8) = 0;
    k.id.cntl[2] = null_pivot;
    int rank = 0;
    MPI_Comm_rank(MPI_COMM_WORLD, &rank);
    if (rank == 0) {
        k.id.n = k.size, k.id.nnz = static_cast<MUMPS_INT8>(k.values.size());
        k.id.irn = k.rows.data(), k.id.jcn = k.columns.data(), k.id.a = k.values.data();
    }
    call(k.id, 4);
    const int said = infog(k.id, 1);
    k.rows = {}, k.columns = {}, k.values = {};
    if (said == -7 || said == -13 || said == -9 || said == -8) return 3;
    if (said == -10 || said == -6) return 2;
    if (said < 0) return said;
    if (infog(k.id, 12) > 0) return 2;
    return infog(k.id, 28) > 0 ? 1 : 0;
}

void drop_together(int number) {
    const auto it = instances().find(number);
    if (it == instances().end()) return;
    call(it->second.id, -2);
    instances().erase(it);
}

void ask(Ask what, int number) {
    std::array<int, 2> message{static_cast<int>(what), number};
    MPI_Bcast(message.data(), 2, MPI_INT, 0, MPI_COMM_WORLD);
}

int factorize(std::int64_t size, const std::int64_t* start, const std::int64_t* row, const double* value, int* factor) {
    static int next = 0;
    const int number = next++;
    Instance& k = instances()[number];
    k.size = static_cast<int>(size);
    for (std::int64_t j = 0; j < size; ++j)
        for (std::int64_t i = start[j]; i < start[j + 1]; ++i) {
            if (value[i] == 0 && row[i] != j) continue;
            k.rows.push_back(static_cast<int>(row[i] + 1)), k.columns.push_back(static_cast<int>(j + 1)), k.values.push_back(value[i]);
        }
    ask(Ask::factorize, number);
    const int outcome = factorize_together(number);
    *factor = number;
    if (outcome != 0 && outcome != 1) {
        ask(Ask::drop, number);
        drop_together(number);
    }
    return outcome;
}

int solve(int factor, double* columns, std::int64_t size, std::int64_t count) {
    ask(Ask::solve, factor);
    DMUMPS_STRUC_C& id = instances().at(factor).id;
    id.rhs = columns, id.nrhs = static_cast<int>(count), id.lrhs = static_cast<int>(size);
    call(id, 3);
    return infog(id, 1);
}

void drop(int factor) {
    ask(Ask::drop, factor);
    drop_together(factor);
}

void serve() {
    for (;;) {
        std::array<int, 2> message{};
        MPI_Bcast(message.data(), 2, MPI_INT, 0, MPI_COMM_WORLD);
        switch (static_cast<Ask>(message[0])) {
            case Ask::factorize:
                factorize_together(message[1]);
                break;
            case Ask::solve:
                call(instances().at(message[1]).id, 3);
                break;
            case Ask::drop:
                drop_together(message[1]);
                break;
            case Ask::stop:
                MPI_Finalize();
                return;
        }
    }
}

void stop() {
    ask(Ask::stop, 0);
    MPI_Finalize();
}

}  // namespace

HalvoDistributed* halvo_distributed_start(int* argc, char*** argv) {
    static HalvoDistributed table{0, 1, factorize, solve, drop, serve, stop};
    MPI_Init(argc, argv);
    MPI_Comm_rank(MPI_COMM_WORLD, &table.rank), MPI_Comm_size(MPI_COMM_WORLD, &table.size);
    return &table;
}
