#pragma once
/// Everything: solids in, one continuous shell-and-beam model out.
///
///     auto solids = halvo::read("station.step");
///     auto model  = halvo::halve(solids, plan.halve);
///     halvo::join(model, solids, plan.join);
///     auto mesh   = halvo::mesh(model, plan.mesh);
///     auto proof  = halvo::prove(solids, model, mesh);
///     auto answer = halvo::solve(model, mesh, plan.solve);

#include <halvo/assembly.hpp>
#include <halvo/draw.hpp>
#include <halvo/halve.hpp>
#include <halvo/io.hpp>
#include <halvo/join.hpp>
#include <halvo/known.hpp>
#include <halvo/mend.hpp>
#include <halvo/mesh.hpp>
#include <halvo/mesh_index.hpp>
#include <halvo/model.hpp>
#include <halvo/plan.hpp>
#include <halvo/prove.hpp>
#include <halvo/quality.hpp>
#include <halvo/reference.hpp>
#include <halvo/run.hpp>
#include <halvo/solve.hpp>
#include <halvo/strip.hpp>
#include <halvo/survey.hpp>
#include <halvo/topology.hpp>
