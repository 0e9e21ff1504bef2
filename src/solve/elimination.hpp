#pragma once
/// Linear equations between movements, eliminated exactly: each that says something new gives up one movement.

#include <halvo/structure.hpp>

namespace halvo {

class Elimination {
public:
    /// Movements are numbered up to `count`; rotations weigh `size` (mm) times as much as displacements.
    Elimination(std::size_t count, double size);

    enum class Outcome { used, said_before, conflict };
    /// The movement `give_up`, if any, is given up where it can be; else the one that weighs most. Equations are numbered in the order given.
    Outcome add(const MotionEquation& equation, std::int64_t give_up = -1);

    /// What a movement is, over those that stay, and over the values of equations (by their numbers).
    struct Expression {
        std::vector<std::pair<std::int64_t, double>> terms;
        std::vector<std::pair<std::int32_t, double>> values;
    };
    /// To be called once, after the last equation.
    void finish();
    /// None for a movement that stays.
    [[nodiscard]] const Expression* of(std::int64_t movement) const;
    [[nodiscard]] std::size_t equations() const { return rows_.size(); }

    /// Factor of each equation such that their sum over the movements is `residual` (forces of what holds the structure).
    [[nodiscard]] std::vector<double> forces(const Eigen::VectorXd& residual) const;

private:
    struct Row {  // as it was when it was added: over movements that had not been given up by then
        std::vector<std::pair<std::int64_t, double>> terms;
        std::int64_t pivot = -1;
        double pivot_factor = 1;
        std::vector<std::pair<std::int32_t, double>> values;     // its right side, over the values of equations
        std::vector<std::pair<std::int32_t, double>> taken_off;  // earlier rows, and how much of each
        double value = 0;
    };
    void resolve(std::int32_t row);

    double size_;
    std::vector<Row> rows_;
    std::vector<std::int32_t> row_of_;  // of each movement; -1: stays
    std::vector<Expression> expressions_;
    std::vector<char> resolved_;
};

}  // namespace halvo
