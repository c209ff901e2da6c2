//! The driver offers the depth that is recorded at.

use super::super::{AdviceContext, Warning};

pub fn not_offered(look: &AdviceContext<'_>) -> Vec<Warning> {
    let (wanted, offered) = (look.context.session.deliver.depth, &look.context.driver(look.setting).depths);
    if offered.contains(&wanted) || look.phase.performers.is_empty() {
        return Vec::new();
    }
    vec![Warning::DepthNotOffered { wanted, offered: offered.clone() }]
}
