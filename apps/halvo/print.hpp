#pragma once
#include <halvo/study.hpp>

/// Plain aligned text for people, units in the headings.
void print_survey(const halvo::Assembly& solids, const halvo::Survey& survey);
/// The same on one screen: `job` has been through strip, for what was mended and found besides.
void print_short_survey(const halvo::Assembly& solids, const halvo::Survey& survey, const halvo::Job& job);
/// One line a stage; `model` is the file that has the rest.
void print_run(const halvo::Job& job, const std::string& model);
/// Every figure of the proof.
void list_proof(const halvo::Job& job);
/// `what`: bodies, walls, sheets, members, sections, seams, joints, links, ledger, findings, contacts.
void print_list(const halvo::Job& job, const std::string& what);
/// Every feature that strip found, one a row.
void list_features(const halvo::Job& job);
/// What mend did, and what it left, in one line; empty where there was nothing to do.
[[nodiscard]] std::string mend_text(const halvo::Job& job);
/// Every repair of mend, done, refused or proposed, one a row; nothing where there is none.
void list_repairs(const halvo::Job& job);
/// What strip took away, what it could, and the keys to say, in one line; empty where there is nothing.
[[nodiscard]] std::string strip_text(const halvo::Job& job);
/// How many features of which kind there are.
[[nodiscard]] std::string features_text(const halvo::Job& job);
/// The features of a survey, one line for all that are alike.
void print_features(const halvo::Job& job);
/// One row a run.
void print_study(const halvo::Study& study);
/// One list of what was solved; false where `what` is none.
bool list_solution(const halvo::Job& job, const std::string& what);
