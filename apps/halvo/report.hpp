#pragma once
#include <string>

struct ReportArguments {
    std::string model, out, title, study;
    bool serve = false;
    int port = 0;
};

/// halvo report: writes the page, or serves it until it is stopped.
int make_report(const ReportArguments& arguments, bool quiet);
