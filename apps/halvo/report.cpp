#include "report.hpp"

#include "progress.hpp"

#include <halvo/report.hpp>

#include <fmt/format.h>

#include <cstdio>

using namespace halvo;

int make_report(const ReportArguments& a, bool quiet) {
    if (a.serve == !a.out.empty()) throw Error(ErrorKind::usage, "halvo report writes a page (-o page.html) or serves it (--serve): give one of them");
    if (a.serve) {
        if (!a.study.empty()) throw Error(ErrorKind::usage, "--study is for pages that are written; leave it out with --serve");
        ServeOptions o;
        o.port = a.port, o.title = a.title, o.stop = terminal_observer(true).cancelled;
        o.up = [](const std::string& address) {
            fmt::print("{}\n  open it in a browser on this machine; Ctrl-C stops it\n", address);
            std::fflush(stdout);
        };
        serve_report(a.model, o);
        return 0;
    }
    ReportOptions o;
    o.title = a.title, o.model = a.model;
    if (!a.study.empty()) o.study = read_study(a.study);
    write_report(a.out, read_model(a.model), o);
    if (!quiet) fmt::print("{}\n", a.out);
    return 0;
}
