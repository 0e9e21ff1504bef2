#pragma once
/// The page: a model to look at and to question in a browser, in one file that needs nothing else.

#include <halvo/job.hpp>
#include <halvo/study.hpp>

#include <filesystem>
#include <functional>
#include <optional>

namespace halvo {

struct ReportOptions {
    std::string title;            ///< else the file's name
    std::filesystem::path model;  ///< for the commands that the page shows; else model.halvo
    std::optional<Study> study;   ///< shown as plots
    std::string token;            ///< of the server behind the page; empty: there is none
    std::size_t back = 0;         ///< states that the server can go back to
    bool figures = true;          ///< with pictures for print
};

/// The page as text, with everything that it needs. Throws Error{usage} where the job holds no solids yet.
[[nodiscard]] std::string report_page(const Job& job, const ReportOptions& options = {});
/// What the page shows: scene and lists, packed (zlib): four bytes for the length of a JSON text, that text, and arrays as it lists them.
[[nodiscard]] std::string report_content(const Job& job, const ReportOptions& options = {});
void write_report(const std::filesystem::path& file, const Job& job, const ReportOptions& options = {});

struct ServeOptions {
    int port = 0;                                        ///< 0: a free one
    std::function<void(const std::string& address)> up;  ///< told once it answers
    std::function<bool()> stop;                          ///< asked several times a second
    std::string title;
};

/// The same page from this machine alone, which runs what is chosen on it and puts the results where the model lies, all or nothing. Only those
/// who know the address, with its token, are answered. Returns when `stop` says so; throws Error{input} where no port can be had.
void serve_report(const std::filesystem::path& model, const ServeOptions& options);

}  // namespace halvo
