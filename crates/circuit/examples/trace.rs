#[path = "../tests/common/mod.rs"]
mod common;
use circuit::*;
use std::sync::Arc;
fn main(){
  let c=Arc::new(common::wren());
  let a:Vec<String>=std::env::args().skip(1).collect();
  let mut s=Sweep::new(&c,&common::state(&c,&a[0]),&[]);
  for id in &a[1..] { let f=fault::by_id(&c,id).unwrap(); let t=std::time::Instant::now(); let p=s.solve(&f.changes); eprintln!("{id}: rest {} settled {} moved {:?} {:?}",p.from_rest(),p.settled,p.moved().map(|m|m.len()), t.elapsed()); }
}
