#pragma once
#include <halvo/io.hpp>

/// Plain aligned text for people, units in the headings.
void print_survey(const halvo::Assembly& solids, const halvo::Survey& survey);
void print_run(const halvo::Job& job);
/// `what`: bodies, walls, sheets, members, sections, seams, joints, links, ledger, findings, contacts.
void print_list(const halvo::Job& job, const std::string& what);
