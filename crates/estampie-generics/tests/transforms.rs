//! Apart from the crate, so that it is compiled once.

use estampie_generics::{forward, forward_64, inverse, inverse_64};

#[test]
fn there_and_back_is_what_it_was_times_its_length() {
    for frames in [2, 48, 97, 512, 1_000] {
        let signal: Vec<f64> = (0..frames).map(|i| ((i * i) as f64 * 0.37).sin()).collect();
        let there = forward_64(frames);
        let (mut time, mut spectrum) = (signal.clone(), there.make_output_vec());
        there.process(&mut time, &mut spectrum).unwrap();
        // The first is the sum of all.
        assert!((spectrum[0].re - signal.iter().sum::<f64>()).abs() < 1e-9 * frames as f64);
        inverse_64(frames).process(&mut spectrum, &mut time).unwrap();
        assert!(time.iter().zip(&signal).all(|(a, b)| (a / frames as f64 - b).abs() < 1e-12 * frames as f64));
        let mut time: Vec<f32> = signal.iter().map(|s| *s as f32).collect();
        let mut spectrum = forward(frames).make_output_vec();
        forward(frames).process(&mut time, &mut spectrum).unwrap();
        inverse(frames).process(&mut spectrum, &mut time).unwrap();
        assert!(time.iter().zip(&signal).all(|(a, b)| (f64::from(*a) / frames as f64 - b).abs() < 1e-5));
    }
}
