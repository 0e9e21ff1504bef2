#pragma once
#include <halvo/study.hpp>

/// Plain aligned text for people, units in the headings.
void print_survey(const halvo::Assembly& solids, const halvo::Survey& survey);
void print_run(const halvo::Job& job);
/// `what`: bodies, walls, sheets, members, sections, seams, joints, links, ledger, findings, contacts.
void print_list(const halvo::Job& job, const std::string& what);
/// Every feature that strip found, one a row.
void list_features(const halvo::Job& job);
/// What mend did, and what it left.
void print_mend(const halvo::Job& job);
/// Every repair of mend, done, refused or proposed, one a row; nothing where there is none.
void list_repairs(const halvo::Job& job);
/// What strip took away, what it could, and the keys to say.
void print_strip(const halvo::Job& job);
/// The features of a survey, one line for all that are alike.
void print_features(const halvo::Job& job);
/// Cases, modes and probes, in a few lines.
void print_solution(const halvo::Job& job);
/// One row a run.
void print_study(const halvo::Study& study);
/// One list of what was solved; false where `what` is none.
bool list_solution(const halvo::Job& job, const std::string& what);
