pub fn run(_: &crate::cli::New) -> Result<std::process::ExitCode, crate::failure::Failure> { Err(crate::failure::Failure::usage("soon", "soon")) }
