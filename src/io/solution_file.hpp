#pragma once
#include "io/database.hpp"

#include <halvo/run.hpp>

namespace halvo::io {

inline constexpr const char* solution_schema = R"(
CREATE TABLE solution(nodes BLOB, shells BLOB, beams BLOB, unknowns INTEGER, mass REAL, centre_x REAL, centre_y REAL, centre_z REAL);
CREATE TABLE results(name TEXT, movement BLOB, applied BLOB, reaction BLOB, shells BLOB, beams BLOB, node_stress BLOB, totals BLOB, supports BLOB, energy BLOB, peak TEXT);
CREATE TABLE carried(result INTEGER, kind TEXT, number INTEGER, force REAL, moment REAL);
CREATE TABLE modes(number INTEGER, frequency REAL, movement BLOB);
CREATE TABLE probes(name TEXT, load_case TEXT, of TEXT, unit TEXT, min REAL, max REAL, mean REAL, sum REAL, count INTEGER,
  min_x REAL, min_y REAL, min_z REAL, max_x REAL, max_y REAL, max_z REAL, known_form TEXT, known_figure TEXT, known REAL);
CREATE TABLE reference(body TEXT, sweep TEXT, solids INTEGER, unknowns INTEGER, volume REAL);
CREATE TABLE reference_rows(what TEXT, load_case TEXT, unit TEXT, model REAL, solid REAL);
CREATE TABLE properties(what TEXT, body TEXT, material TEXT, section TEXT, sheet INTEGER, member INTEGER, thickness REAL, mass REAL, volume REAL);
)";

void save_solution(Database& db, const Solution& solution);
void load_solution(Database& db, Solution& solution, int version);

}  // namespace halvo::io
